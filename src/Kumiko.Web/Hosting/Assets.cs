using System.IO.Hashing;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.StaticFiles;

namespace Kumiko.Web.Hosting;

/// <summary>Styles, scripts and fonts, carried inside the assembly so that any host serves them.</summary>
public sealed class Assets
{
    private const string Prefix = "asset/";
    private readonly Dictionary<string, (byte[] Content, string Type)> _files = new(StringComparer.Ordinal);

    public Assets()
    {
        var assembly = typeof(Assets).Assembly;
        var types = new FileExtensionContentTypeProvider();
        foreach (var name in assembly.GetManifestResourceNames().Where(n => n.StartsWith(Prefix, StringComparison.Ordinal)))
        {
            using var stream = assembly.GetManifestResourceStream(name)!;
            var content = new byte[stream.Length];
            stream.ReadExactly(content);
            types.TryGetContentType(name, out var type);
            _files[name[Prefix.Length..].Replace('\\', '/')] = (content, type ?? "application/octet-stream");
        }
        Version = _files
            .OrderBy(f => f.Key, StringComparer.Ordinal)
            .Aggregate(0UL, (hash, f) => XxHash3.HashToUInt64(f.Value.Content, (long)hash))
            .ToString("x", System.Globalization.CultureInfo.InvariantCulture);
    }

    /// <summary>Changes when any file does, so that addresses with it can be kept for ever.</summary>
    public string Version { get; }

    public IResult Serve(string path, HttpContext http)
    {
        if (!_files.TryGetValue(path, out var file))
            return Results.NotFound();
        http.Response.Headers.CacheControl = "public, max-age=31536000, immutable";
        return Results.Bytes(file.Content, file.Type);
    }
}
