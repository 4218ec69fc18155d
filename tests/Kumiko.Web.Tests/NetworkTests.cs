using System.Net;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Text;
using Kumiko.Core.Accounts;
using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Kumiko.Web.Receivers.Scraping;

namespace Kumiko.Web.Tests;

/// <summary>By which names, ports and ways Kumiko answers, and which addresses it reaches.</summary>
public sealed class NetworkTests
{
    private static async Task<HttpResponseMessage> Get(
        RunningServer server,
        string path,
        string host,
        params (string Name, string Value)[] headers
    )
    {
        using var client = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false })
        {
            BaseAddress = new Uri(server.Address),
        };
        using var request = new HttpRequestMessage(HttpMethod.Get, path);
        request.Headers.Host = host;
        foreach (var (name, value) in headers)
            request.Headers.Add(name, value);
        return await client.SendAsync(request);
    }

    private static ServerOptions With(
        string path,
        string? address = null,
        TlsCertificate? tls = null,
        IReadOnlyList<IPNetwork>? proxies = null
    ) =>
        new()
        {
            Data = path,
            Port = 0,
            GrpcPort = 0,
            SyslogPort = null,
            ReserveBytes = 0,
            PublicAddress = address,
            Tls = tls,
            Proxies = proxies,
        };

    [Theory]
    [InlineData("127.0.0.1", true)]
    [InlineData("localhost", true)]
    [InlineData("kumiko.skerryline.example", true)]
    [InlineData("KUMIKO.skerryline.example:443", true)]
    [InlineData("elsewhere.example", false)]
    [InlineData("127.0.0.1.elsewhere.example", false)]
    [InlineData("198.51.100.7", false)]
    public async Task It_answers_by_its_own_names_alone(string host, bool answers)
    {
        await using var server = await RunningServer.StartWith(path => With(path, "https://kumiko.skerryline.example"));
        foreach (var path in new[] { "/signin", "/healthz", "/api/query?q=" })
        {
            var answer = await Get(server, path, host);
            Assert.Equal(!answers, answer.StatusCode == HttpStatusCode.MisdirectedRequest);
            if (!answers)
                Assert.Contains("--address", await answer.Content.ReadAsStringAsync());
        }
    }

    [Fact]
    public async Task There_are_no_pages_on_the_port_of_gRPC()
    {
        await using var server = await RunningServer.Start();
        using var client = new HttpClient
        {
            BaseAddress = new Uri($"http://127.0.0.1:{server.Get<ServerState>().GrpcPort}"),
            DefaultRequestVersion = HttpVersion.Version20,
            DefaultVersionPolicy = HttpVersionPolicy.RequestVersionExact,
        };
        foreach (var path in new[] { "/", "/signin", "/healthz", "/assets/kumiko.css", "/intake/lines", "/control/check" })
            Assert.Equal(HttpStatusCode.NotFound, (await client.GetAsync(path)).StatusCode);
    }

    [Fact]
    public async Task Cookies_go_over_TLS_alone_unless_the_browser_is_on_this_machine()
    {
        await using var server = await RunningServer.StartWith(path =>
            With(path, "https://kumiko.skerryline.example", proxies: [IPNetwork.Parse("127.0.0.0/8")])
        );
        string Cookies(HttpResponseMessage answer) =>
            string.Join('\n', answer.Headers.GetValues("Set-Cookie")).ToLowerInvariant();
        Assert.DoesNotContain("secure", Cookies(await Get(server, "/signin", "127.0.0.1")));
        Assert.Contains(
            "secure",
            Cookies(
                await Get(
                    server,
                    "/signin",
                    "kumiko.skerryline.example",
                    ("X-Forwarded-For", "198.51.100.7"),
                    ("X-Forwarded-Proto", "https")
                )
            )
        );
        var open = await Get(server, "/signin", "kumiko.skerryline.example", ("X-Forwarded-For", "198.51.100.7"));
        Assert.Contains("secure", Cookies(open));
        Assert.Contains("came without TLS", await open.Content.ReadAsStringAsync());
    }

    [Fact]
    public async Task A_proxys_word_is_taken_only_where_it_is_expected()
    {
        async Task<string> AddressOf(RunningServer server)
        {
            // The cookies are for TLS alone, which the proxy says there is.
            using var client = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false, UseCookies = false })
            {
                BaseAddress = new Uri(server.Address),
            };
            client.DefaultRequestHeaders.Add("X-Forwarded-For", "198.51.100.7");
            client.DefaultRequestHeaders.Add("X-Forwarded-Proto", "https");
            var person = (
                await server
                    .Get<PeopleStore>()
                    .Add(
                        "Ines Halloran",
                        "ines@skerryline.example",
                        Role.Viewer,
                        server
                            .Get<Microsoft.AspNetCore.Identity.IPasswordHasher<Person>>()
                            .HashPassword(new Person(), RunningServer.Password)
                    )
            )!;
            var page = await client.GetAsync("/signin");
            client.DefaultRequestHeaders.Add("Cookie", page.Headers.GetValues("Set-Cookie").First().Split(';')[0]);
            await RunningServer.Post(client, "/signin", ("email", person.Email), ("password", RunningServer.Password));
            return server.Get<SessionStore>().Of(person.Id).Single().Address;
        }
        await using var behind = await RunningServer.StartWith(path => With(path, proxies: [IPNetwork.Parse("127.0.0.0/8")]));
        Assert.Equal("198.51.100.7", await AddressOf(behind));
        await using var alone = await RunningServer.StartWith(path => With(path));
        Assert.Equal("127.0.0.1", await AddressOf(alone));
    }

    private static void WriteCertificate(string path, string name, DateTime written)
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        using var certificate = new CertificateRequest("CN=" + name, key, HashAlgorithmName.SHA256).CreateSelfSigned(
            DateTimeOffset.UtcNow.AddDays(-1),
            DateTimeOffset.UtcNow.AddDays(30)
        );
        File.WriteAllText(path, certificate.ExportCertificatePem() + "\n" + key.ExportPkcs8PrivateKeyPem() + "\n");
        File.SetLastWriteTimeUtc(path, written);
    }

    [Fact]
    public async Task It_answers_over_TLS_and_takes_a_renewed_certificate()
    {
        var file = Path.GetTempFileName();
        WriteCertificate(file, "first.skerryline.example", DateTime.UtcNow.AddMinutes(-2));
        var clock = new Microsoft.Extensions.Time.Testing.FakeTimeProvider();
        var tls = new TlsCertificate(file, null, clock);
        await using var server = await RunningServer.StartWith(path => With(path, tls: tls));
        Assert.StartsWith("https://", server.Address);
        async Task<(string Name, string Cookies)> Look()
        {
            var name = "";
            using var client = new HttpClient(
                new HttpClientHandler
                {
                    ServerCertificateCustomValidationCallback = (_, c, _, _) => (name = c!.Subject) is not null,
                }
            )
            {
                BaseAddress = new Uri(server.Address),
            };
            var answer = await client.GetAsync("/signin");
            return (name, string.Join('\n', answer.Headers.GetValues("Set-Cookie")));
        }
        var (name, cookies) = await Look();
        Assert.Equal("CN=first.skerryline.example", name);
        Assert.Contains("secure", cookies);
        Assert.Equal(tls.Fingerprint, DataFolder.FindServer(server.Path)!.Fingerprint);
        WriteCertificate(file, "second.skerryline.example", DateTime.UtcNow);
        clock.Advance(TimeSpan.FromMinutes(2));
        Assert.Equal("CN=second.skerryline.example", (await Look()).Name);
        // Half a renewal leaves the old one.
        await File.WriteAllTextAsync(file, "-----BEGIN CERT");
        clock.Advance(TimeSpan.FromMinutes(2));
        Assert.Equal("CN=second.skerryline.example", (await Look()).Name);
        Assert.ThrowsAny<Exception>(() => new TlsCertificate(file, null));
        File.Delete(file);
    }

    [Theory]
    [InlineData("http://127.0.0.1:{0}/healthz")]
    [InlineData("http://localhost:{0}/healthz")]
    [InlineData("http://[::ffff:127.0.0.1]:{0}/healthz")]
    [InlineData("http://169.254.169.254/latest")]
    public async Task A_scraped_target_is_reached_only_where_that_is_allowed(string address)
    {
        // Everything of the older protocol is allowed but this machine.
        await using var server = await RunningServer.Start(
            null,
            IPNetwork.Parse("10.0.0.0/8"),
            IPNetwork.Parse("169.254.0.0/16")
        );
        var target = new ScrapeTarget(
            1,
            "inside",
            string.Format(System.Globalization.CultureInfo.InvariantCulture, address, new Uri(server.Address).Port),
            15 * Instants.Second,
            ""
        );
        await server.Get<Scraper>().Scrape(target, CancellationToken.None);
        Assert.Contains("may not be reached from here", server.Get<Scraper>().StateOf(target)!.Problem);
    }

    [Fact]
    public async Task What_an_inside_service_answers_is_kept_for_nobody_and_lines_of_metrics_for_administrators()
    {
        await using var server = await RunningServer.Start();
        using var inside = new System.Net.Sockets.TcpListener(IPAddress.Loopback, 0);
        inside.Start();
        async Task Scrape(string type, string body)
        {
            var scraped = server
                .Get<Scraper>()
                .Scrape(
                    new ScrapeTarget(
                        1,
                        "inside",
                        $"http://127.0.0.1:{((IPEndPoint)inside.LocalEndpoint).Port}/",
                        15 * Instants.Second,
                        ""
                    ),
                    CancellationToken.None
                );
            using var client = await inside.AcceptTcpClientAsync();
            await client.GetStream().ReadAtLeastAsync(new byte[4096], 1);
            await client
                .GetStream()
                .WriteAsync(
                    Encoding.UTF8.GetBytes(
                        $"HTTP/1.1 200 OK\r\nContent-Type: {type}\r\nContent-Length: {body.Length}\r\nConnection: close\r\n\r\n{body}"
                    )
                );
            await scraped;
        }
        await Scrape("text/html", "<p>secret one</p>\n");
        await Scrape("text/plain", "load 1\nsecret two\n");
        await Scrape("text/plain; version=0.0.4", "load 1\nsecret three\n");
        var kept = string.Join('\n', server.Get<RecordStore>().Refusals(50).Select(r => Encoding.UTF8.GetString(r.Head)));
        Assert.DoesNotContain("secret one", kept);
        Assert.DoesNotContain("secret two", kept);
        Assert.Contains("secret three", kept);
        using var viewer = await server.Person(Role.Viewer);
        using var mirek = await server.Person(Role.Administrator);
        foreach (var page in new[] { "/sources/refused", "/sources/of/inside" })
        {
            Assert.DoesNotContain("secret", await viewer.GetStringAsync(page));
            Assert.Contains("secret three", await mirek.GetStringAsync(page));
        }
    }
}
