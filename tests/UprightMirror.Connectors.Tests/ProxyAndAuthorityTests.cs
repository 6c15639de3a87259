using System.Net;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Text.Json;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Testing;

namespace UprightMirror.Connectors.Tests;

/// <summary>Systems behind a proxy, and systems whose certificate only the company's own authority signed.</summary>
public class ProxyAndAuthorityTests
{
    private static ISystemConnector Connect(Uri address, ConnectionSettings settings) =>
        new SystemConnection("Stand-in", "rest", address, JsonSerializer.SerializeToElement(settings, JsonSerializerOptions.Web), new Dictionary<string, string>())
            .Connect(new Outside(TimeProvider.System, new LocalCallBudget(TimeProvider.System), IsPatient: false));

    [Fact]
    public async Task A_system_behind_a_proxy_is_looked_up_and_reached_by_the_proxy()
    {
        var asked = new List<string>();
        await using var proxy = await StandInSystem.Start(context =>
        {
            asked.Add($"{context.Request.Host}{context.Request.Path}");
            return StandInSystem.Json(context, """{"items":[{"id":"1"}]}""");
        });
        var steps = await Connect(new Uri("http://crm.inside.example/openapi.json"), new ConnectionSettings(Proxy: proxy.Address)).Test(CancellationToken.None).ToListAsync();
        steps.ShouldAllBe(s => s.End == StepEnd.Passed, string.Join("\n", steps));
        steps[0].Words.ShouldContain("is looked up by the proxy");
        asked.ShouldContain("crm.inside.example/api/things");
    }

    [Fact]
    public async Task An_address_that_is_never_called_is_not_called_through_a_proxy_either()
    {
        await using var proxy = await StandInSystem.Start(context => StandInSystem.Json(context, "{}"));
        var connector = Connect(new Uri("http://169.254.169.254/latest"), new ConnectionSettings(AllowPrivate: true, Proxy: proxy.Address));
        (await Should.ThrowAsync<SystemFault>(async () => await connector.ReadCatalogue(CancellationToken.None))).Message.ShouldContain("is never called");
        proxy.Calls.ShouldBeEmpty();
    }

    [Fact]
    public async Task A_certificate_of_a_private_authority_is_accepted_with_that_authority_only()
    {
        var (authority, certificate) = Certificates("localhost");
        await using var server = await Secure(certificate);
        var address = new Uri(server.Urls.First().Replace("127.0.0.1", "localhost", StringComparison.Ordinal) + "/openapi.json");

        var without = (await Connect(address, new ConnectionSettings(AllowPrivate: true)).Test(CancellationToken.None).ToListAsync()).First(s => s.End == StepEnd.Failed);
        (without.Name, without.Words.Contains("its certificate or encryption is not accepted", StringComparison.Ordinal)).ShouldBe(("Reached", true), without.Words);

        var (another, _) = Certificates("localhost");
        (await Connect(address, new ConnectionSettings(AllowPrivate: true, CertificateAuthority: another)).Test(CancellationToken.None).ToListAsync()).ShouldContain(s => s.End == StepEnd.Failed);

        var with = await Connect(address, new ConnectionSettings(AllowPrivate: true, CertificateAuthority: authority)).Test(CancellationToken.None).ToListAsync();
        with.ShouldAllBe(s => s.End == StepEnd.Passed, string.Join("\n", with));
    }

    [Fact]
    public async Task A_certificate_for_another_name_is_not_accepted_even_with_its_authority()
    {
        var (authority, certificate) = Certificates("somebody.example");
        await using var server = await Secure(certificate);
        var address = new Uri(server.Urls.First().Replace("127.0.0.1", "localhost", StringComparison.Ordinal) + "/openapi.json");
        (await Connect(address, new ConnectionSettings(AllowPrivate: true, CertificateAuthority: authority)).Test(CancellationToken.None).ToListAsync()).ShouldContain(s => s.End == StepEnd.Failed && s.Name == "Reached");
    }

    [Fact]
    public void An_authority_that_is_no_certificate_is_said_to_be() =>
        Should.Throw<ArgumentException>(() => Connect(new Uri("https://crm.example/"), new ConnectionSettings(CertificateAuthority: "-----BEGIN CERTIFICATE-----\nnonsense\n-----END CERTIFICATE-----"))).Message.ShouldContain("certificate of the private authority can't be read");

    private static async Task<WebApplication> Secure(X509Certificate2 certificate)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseKestrelHttpsConfiguration();
        builder.WebHost.ConfigureKestrel(k => k.Listen(IPAddress.Loopback, 0, l => l.UseHttps(certificate)));
        var app = builder.Build();
        app.Run(context => context.Request.Path == "/openapi.json" ? context.Response.WriteAsync(StandInSystem.Description) : StandInSystem.Json(context, """{"items":[{"id":"1"}]}"""));
        await app.StartAsync();
        return app;
    }

    /// <summary>An authority made up for a test, as PEM, and a certificate that it signed for a name.</summary>
    private static (string Authority, X509Certificate2 Certificate) Certificates(string name)
    {
        var (from, until) = (DateTimeOffset.UtcNow.AddDays(-1), DateTimeOffset.UtcNow.AddDays(1));
        using var authorityKey = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var authorityRequest = new CertificateRequest($"CN=Test authority {Guid.NewGuid():N}", authorityKey, HashAlgorithmName.SHA256);
        authorityRequest.CertificateExtensions.Add(new X509BasicConstraintsExtension(true, false, 0, true));
        using var authority = authorityRequest.CreateSelfSigned(from, until);

        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest($"CN={name}", key, HashAlgorithmName.SHA256);
        var names = new SubjectAlternativeNameBuilder();
        names.AddDnsName(name);
        request.CertificateExtensions.Add(names.Build());
        using var signed = request.Create(authority, from, until.AddHours(-1), RandomNumberGenerator.GetBytes(8));
        using var whole = signed.CopyWithPrivateKey(key);
        return (authority.ExportCertificatePem(), X509CertificateLoader.LoadPkcs12(whole.Export(X509ContentType.Pfx), null));
    }
}
