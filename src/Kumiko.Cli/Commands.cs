using System.CommandLine;
using Kumiko.Core.Accounts;
using Kumiko.Core.Export;
using Kumiko.Core.Intake.Formats;

namespace Kumiko.Cli;

/// <summary>The command line: each command reads its options and hands over.</summary>
public static class Commands
{
    public static RootCommand Root()
    {
        var data = new Option<string>("--data")
        {
            Description = "Folder that holds the data",
            DefaultValueFactory = _ => Path.Combine("data", "kumiko"),
            Recursive = true,
        };
        return new RootCommand("Kumiko: search, chart and alert on logs")
        {
            data,
            Run(data),
            Import(data),
            Query(data),
            Token(data),
            Person(data),
            Check(data),
            Backup(data),
            Restore(data),
        };
    }

    private static Command Run(Option<string> data)
    {
        var port = new Option<int>("--port")
        {
            Description = "Port on 127.0.0.1; 0 for any free one",
            DefaultValueFactory = _ => 8460,
        };
        var smtp = new Option<string?>("--smtp")
        {
            Description =
                "Mail server: smtp://host:port or smtps://user@host; its password is read from --smtp-password-file or the variable KUMIKO_SMTP_PASSWORD",
        };
        var password = new Option<string?>("--smtp-password-file")
        {
            Description = "File that holds the password of the mail server",
        };
        var from = new Option<string>("--mail-from")
        {
            Description = "Sender of mails",
            DefaultValueFactory = _ => "kumiko@localhost",
        };
        var address = new Option<string?>("--address")
        {
            Description =
                "The address that people use, where it is not this machine's: links in mails start with it, and its name is answered",
        };
        var keep = new Option<string?>("--keep")
        {
            Description = "How long records are kept, such as 30d; for ever where it is not given",
        };
        var size = new Option<string?>("--keep-size")
        {
            Description = "How much disk records may take, such as 50GB; the oldest go beyond it",
        };
        var levels = new Option<string?>("--keep-levels")
        {
            Description =
                "How long ten-minute and hourly levels of metrics are kept, such as 400d; as long as records where it is not given",
        };
        var listen = new Option<string>("--listen")
        {
            Description = "Address of this machine to listen on; 0.0.0.0 for all",
            DefaultValueFactory = _ => "127.0.0.1",
        };
        var grpc = new Option<int>("--grpc-port")
        {
            Description = "Port for OTLP over gRPC; 0 for any free one, -1 for none",
            DefaultValueFactory = _ => 4317,
        };
        var syslog = new Option<int>("--syslog-port")
        {
            Description = "Port for syslog over UDP and TCP; 0 for any free one, -1 for none",
            DefaultValueFactory = _ => 5514,
        };
        var reach = new Option<string[]>("--reach")
        {
            Description =
                "A network beside the public ones that webhooks, mail, syslog, traps and scraping may reach, such as 10.1.0.0/16; can be given several times",
            DefaultValueFactory = _ => [],
        };
        var scripts = new Option<string?>("--scripts")
        {
            Description = "Folder of scripts that channels may run; none where it is not given",
        };
        var importFrom = new Option<string?>("--import-from")
        {
            Description = "Folder whose files may be imported and followed where they are; none where it is not given",
        };
        var certificate = new Option<string?>("--tls-cert") { Description = "File in PEM of the certificate for TLS" };
        var key = new Option<string?>("--tls-key")
        {
            Description = "File in PEM of its key; the first file where it is not given",
        };
        var proxies = new Option<string[]>("--behind-proxy")
        {
            Description =
                "Address or network of a proxy in front, whose word on callers is taken; 127.0.0.1 where none is given with it",
            Arity = ArgumentArity.ZeroOrMore,
        };
        var command = new Command("run", "Starts the server")
        {
            port,
            smtp,
            password,
            from,
            address,
            keep,
            size,
            levels,
            listen,
            grpc,
            syslog,
            reach,
            scripts,
            importFrom,
            certificate,
            key,
            proxies,
        };
        command.SetAction(
            (parsed, cancel) =>
                RunCommand.Do(
                    new RunOptions
                    {
                        Data = parsed.GetValue(data)!,
                        Port = parsed.GetValue(port),
                        Smtp = parsed.GetValue(smtp),
                        SmtpPasswordFile = parsed.GetValue(password),
                        MailFrom = parsed.GetValue(from)!,
                        Address = parsed.GetValue(address),
                        Keep = parsed.GetValue(keep),
                        KeepSize = parsed.GetValue(size),
                        KeepLevels = parsed.GetValue(levels),
                        Listen = parsed.GetValue(listen)!,
                        GrpcPort = parsed.GetValue(grpc),
                        SyslogPort = parsed.GetValue(syslog),
                        Reach = parsed.GetValue(reach)!,
                        Scripts = parsed.GetValue(scripts),
                        ImportFrom = parsed.GetValue(importFrom),
                        TlsCertificate = parsed.GetValue(certificate),
                        TlsKey = parsed.GetValue(key),
                        Proxies = parsed.GetResult(proxies) is null ? null : parsed.GetValue(proxies)!,
                    },
                    cancel
                )
        );
        return command;
    }

    private static Command Import(Option<string> data)
    {
        var files = new Argument<string[]>("file")
        {
            Description = "Log files, plain, or packed as gzip, zstd or zip",
            Arity = ArgumentArity.OneOrMore,
        };
        var source = new Option<string>("--source") { Description = "The name of the place they come from", Required = true };
        var format = new Option<string?>("--format")
        {
            Description =
                $"How they are written, where that is told wrongly: {string.Join(", ", FormatList.All.Select(f => f.Name))}",
        };
        var zone = new Option<string?>("--zone")
        {
            Description = "The zone of times that say none, such as Europe/Lisbon; UTC where it is not given",
        };
        var order = new Option<string?>("--day-order") { Description = "The order of days in numbers: ymd, mdy or dmy" };
        var service = new Option<string?>("--service") { Description = "The service of all records" };
        var host = new Option<string?>("--host") { Description = "The host of all records" };
        var start = new Option<string?>("--record-start")
        {
            Description = "A regular expression of how a line begins that begins a record",
        };
        var command = new Command("import", "Takes in log files") { files, source, format, zone, order, service, host, start };
        command.SetAction(
            (parsed, cancel) =>
                ImportCommand.Do(
                    new ImportOptions(parsed.GetValue(data)!, parsed.GetValue(files)!, parsed.GetValue(source)!)
                    {
                        Format = parsed.GetValue(format),
                        Zone = parsed.GetValue(zone),
                        DayOrder = parsed.GetValue(order),
                        Service = parsed.GetValue(service),
                        Host = parsed.GetValue(host),
                        Start = parsed.GetValue(start),
                    },
                    cancel
                )
        );
        return command;
    }

    private static Command Query(Option<string> data)
    {
        var text = new Argument<string>("text") { Description = "The query" };
        var from = new Option<string>("--from") { Description = "ISO 8601, or -1h", DefaultValueFactory = _ => "-1h" };
        var to = new Option<string>("--to") { Description = "ISO 8601, or now", DefaultValueFactory = _ => "now" };
        var format = new Option<string>("--format")
        {
            Description = "table, " + ExportFormats.Names,
            DefaultValueFactory = _ => "table",
        };
        format.AcceptOnlyFromAmong(["table", .. ExportFormats.All.Select(f => f.Name)]);
        var plan = new Option<bool>("--plan") { Description = "Says how the query is answered, and what each step took" };
        var parameters = new Option<string[]>("--param")
        {
            Description = "A parameter's value: terminal=Tarnhead gives :terminal its value",
            DefaultValueFactory = _ => [],
        };
        parameters.Validators.Add(result =>
        {
            if (result.Tokens.Any(t => t.Value.IndexOf('=') < 1))
                result.AddError("Write --param NAME=VALUE.");
        });
        var command = new Command("query", "Asks a query") { text, from, to, format, plan, parameters };
        command.SetAction(
            (parsed, cancel) =>
                QueryCommand.Do(
                    parsed.GetValue(data)!,
                    parsed.GetValue(text)!,
                    parsed.GetValue(from)!,
                    parsed.GetValue(to)!,
                    parsed.GetValue(format)!,
                    parsed.GetValue(plan),
                    parsed
                        .GetValue(parameters)!
                        .GroupBy(p => p[..p.IndexOf('=')])
                        .ToDictionary(g => g.Key, g => g.Last()[(g.Key.Length + 1)..], StringComparer.Ordinal),
                    cancel
                )
        );
        return command;
    }

    private static Command Check(Option<string> data)
    {
        var command = new Command("check", "Verifies a data folder and says what is damaged");
        command.SetAction((parsed, cancel) => CheckCommand.Do(parsed.GetValue(data)!, cancel));
        return command;
    }

    private static Command Backup(Option<string> data)
    {
        var to = new Argument<string>("dir") { Description = "A new folder for the copy" };
        var command = new Command("backup", "Copies everything into another folder, also while the server runs") { to };
        command.SetAction((parsed, cancel) => BackupCommand.Backup(parsed.GetValue(data)!, parsed.GetValue(to)!, cancel));
        return command;
    }

    private static Command Restore(Option<string> data)
    {
        var from = new Argument<string>("dir") { Description = "The folder of a backup" };
        var command = new Command("restore", "Puts a backup in place as a new data folder") { from };
        command.SetAction(parsed => BackupCommand.Restore(parsed.GetValue(data)!, parsed.GetValue(from)!));
        return command;
    }

    private static Command Person(Option<string> data)
    {
        var email = new Argument<string>("address") { Description = "Their mail address" };
        var reset = new Command("reset", "Prints a link by which somebody sets a new password") { email };
        reset.SetAction((parsed, cancel) => PersonCommand.Reset(parsed.GetValue(data)!, parsed.GetValue(email)!, cancel));
        return new Command("person", "What can be done for somebody who is shut out") { reset };
    }

    private static Command Token(Option<string> data)
    {
        var name = new Argument<string>("name") { Description = "Who will use it" };
        var purpose = new Option<TokenPurpose>("--for") { Description = "intake or query", Required = true };
        var command = new Command("token", "Makes a token and prints it, this once") { name, purpose };
        command.SetAction(
            (parsed, cancel) => TokenCommand.Do(parsed.GetValue(data)!, parsed.GetValue(name)!, parsed.GetValue(purpose), cancel)
        );
        return command;
    }
}
