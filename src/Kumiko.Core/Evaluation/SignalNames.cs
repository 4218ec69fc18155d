using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>What queries call the sets that lie in the store of records.</summary>
public static class SignalNames
{
    public static Signal? Find(string set) =>
        set switch
        {
            "logs" => Signal.Logs,
            "spans" => Signal.Spans,
            _ => null,
        };
}
