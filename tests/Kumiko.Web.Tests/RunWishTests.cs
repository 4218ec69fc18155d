using System.Net;
using Kumiko.Cli;

namespace Kumiko.Web.Tests;

/// <summary>What the command to run a server is given, read or refused in words.</summary>
public sealed class RunWishTests
{
    private static readonly RunOptions Plain = new()
    {
        Data = "data",
        Listen = "127.0.0.1",
        Port = 8460,
        GrpcPort = 4317,
        SyslogPort = 5514,
    };

    [Fact]
    public void What_is_not_said_has_its_usual_value()
    {
        var options = Plain.Read();
        Assert.Equal(
            (IPAddress.Loopback, 8460, 4317, 5514),
            (options.Listen, options.Port, options.GrpcPort, options.SyslogPort)
        );
        Assert.Null(options.Tls);
        Assert.Null(options.Proxies);
        Assert.Empty(options.Reach);
    }

    [Fact]
    public void Networks_and_proxies_are_read_as_people_type_them()
    {
        var options = (Plain with { Reach = ["10.1.0.0/16", "192.168.7.1"], Proxies = [], GrpcPort = -1 }).Read();
        Assert.Equal(["10.1.0.0/16", "192.168.7.1/32"], options.Reach.Select(n => n.ToString()));
        Assert.Contains(options.Proxies!, n => n.Contains(IPAddress.Loopback));
        Assert.Null(options.GrpcPort);
        Assert.Equal(["10.0.0.5/32"], (Plain with { Proxies = ["10.0.0.5"] }).Read().Proxies!.Select(n => n.ToString()));
    }

    [Fact]
    public async Task The_password_of_the_mail_server_comes_from_a_file()
    {
        var file = Path.GetTempFileName();
        await File.WriteAllTextAsync(file, "a secret of the quay\n");
        Assert.Equal(
            "a secret of the quay",
            (Plain with { Smtp = "smtps://kumiko@mail.skerryline.example", SmtpPasswordFile = file }).Read().SmtpPassword
        );
        File.Delete(file);
        Assert.Contains(
            "cannot be read",
            Assert.Throws<RunOptionsException>(() => (Plain with { SmtpPasswordFile = file }).Read()).Message
        );
    }

    [Fact]
    public void What_cannot_be_is_told_with_how_to_write_it()
    {
        foreach (
            var (wish, words) in new[]
            {
                (Plain with { Smtp = "mail" }, "smtp://host:port"),
                (Plain with { Listen = "here" }, "is no address"),
                (Plain with { Address = "kumiko" }, "https://kumiko.example"),
                (Plain with { Keep = "long" }, "30d"),
                (Plain with { KeepSize = "much" }, "50GB"),
                (Plain with { Reach = ["inside"] }, "10.1.0.0/16"),
                (Plain with { Scripts = "/nowhere/at/all" }, "no folder"),
                (Plain with { TlsCertificate = "/nowhere.pem" }, "--tls-cert and --tls-key"),
                (Plain with { TlsKey = "/nowhere.pem" }, "--tls-cert"),
            }
        )
            Assert.Contains(words, Assert.Throws<RunOptionsException>(() => wish.Read()).Message);
    }
}
