using System.Text;

namespace Kumiko.Core.Records;

/// <summary>Names of zones as programs write them behind a clock.</summary>
internal static class ZoneNames
{
    /// <summary>Minutes from UTC; null where the name is none, or means several zones.</summary>
    /// <remarks>Those of North America as RFC 2822, 4.3, has them.</remarks>
    public static int? Find(ReadOnlySpan<byte> name) =>
        Encoding.ASCII.GetString(name) switch
        {
            "UTC" or "GMT" or "WET" => 0,
            "CET" or "WEST" or "MEZ" => 60,
            "CEST" or "EET" or "MESZ" or "SAST" => 120,
            "EEST" or "MSK" => 180,
            "HKT" or "SGT" => 480,
            "JST" or "KST" => 540,
            "AEST" => 600,
            "AEDT" => 660,
            "NZST" => 720,
            "NZDT" => 780,
            "EST" or "CDT" => -300,
            "EDT" => -240,
            "MDT" => -360,
            "MST" or "PDT" => -420,
            "PST" => -480,
            _ => null,
        };

    /// <summary>Whether a name is a zone's in more than one part of the world.</summary>
    public static bool IsAmbiguous(ReadOnlySpan<byte> name) => Encoding.ASCII.GetString(name) is "BST" or "IST" or "CST";

    /// <summary>Whether a path begins as names of regions do.</summary>
    public static bool IsContinent(ReadOnlySpan<byte> name) =>
        Encoding.ASCII.GetString(name[..name.IndexOf((byte)'/')])
            is "Europe"
                or "America"
                or "Asia"
                or "Africa"
                or "Australia"
                or "Pacific"
                or "Atlantic"
                or "Indian"
                or "Antarctica"
                or "Arctic"
                or "Etc";
}
