using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Server.Kestrel.Core;

namespace Kumiko.Web.Hosting;

/// <summary>The certificate of TLS from files in PEM; read again when they change, as certificates are renewed.</summary>
public sealed class TlsCertificate
{
    private static readonly TimeSpan LookEvery = TimeSpan.FromMinutes(1);

    private readonly string _certificate;
    private readonly string _key;
    private readonly TimeProvider _clock;
    private readonly Lock _lock = new();
    private X509Certificate2 _loaded;
    private DateTime _written;
    private long _looked;

    /// <param name="certificate">The file of the certificate and those that vouch for it.</param>
    /// <param name="key">The file of its key; null where the first file holds it.</param>
    /// <exception cref="CryptographicException">They are no certificate and its key.</exception>
    /// <exception cref="IOException">They cannot be read.</exception>
    public TlsCertificate(string certificate, string? key, TimeProvider? clock = null)
    {
        (_certificate, _key, _clock) = (certificate, key ?? certificate, clock ?? TimeProvider.System);
        (_loaded, _written, _looked) = (Load(), Written(), _clock.GetTimestamp());
    }

    /// <summary>SHA-256 of the certificate in use.</summary>
    public string Fingerprint => Current().GetCertHashString(HashAlgorithmName.SHA256);

    public X509Certificate2 Current()
    {
        lock (_lock)
        {
            if (_clock.GetElapsedTime(_looked) < LookEvery)
                return _loaded;
            _looked = _clock.GetTimestamp();
            try
            {
                if (Written() is var written && written != _written)
                    (_loaded, _written) = (Load(), written);
            }
            // Half of a renewal: the old one goes on until the next look.
            catch (Exception e) when (e is CryptographicException or IOException or UnauthorizedAccessException) { }
            return _loaded;
        }
    }

    private DateTime Written() => new[] { File.GetLastWriteTimeUtc(_certificate), File.GetLastWriteTimeUtc(_key) }.Max();

    private X509Certificate2 Load() => X509Certificate2.CreateFromPemFile(_certificate, _key);
}

internal static class TlsListening
{
    /// <summary>With TLS where there is a certificate.</summary>
    public static ListenOptions Secured(this ListenOptions listen, TlsCertificate? certificate) =>
        certificate is null
            ? listen
            : listen.UseHttps(https => https.ServerCertificateSelector = (_, _) => certificate.Current());
}
