using CsCheck;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Language;

public class LanguageLaws
{
    [Fact]
    public void Printed_trees_parse_to_themselves() =>
        QueryGen.Query.Sample(
            tree =>
            {
                var text = QueryPrinter.Print(tree);
                var parsed = QueryParser.Parse(text);
                Assert.True(parsed.Ok, text + "\n" + string.Join("\n", parsed.Errors.Select(e => e.Describe(text))));
                Assert.Equal(tree, parsed.Query);
            },
            iter: Cases.Of(5_000)
        );

    [Fact]
    public void Printing_what_was_parsed_from_printed_text_changes_nothing() =>
        QueryGen.Query.Sample(
            tree =>
            {
                var text = QueryPrinter.Print(tree);
                Assert.Equal(text, QueryPrinter.Print(QueryParser.Parse(text).Query));
            },
            iter: Cases.Of(2_000)
        );

    [Fact]
    public void No_text_throws_and_every_error_has_a_place_inside_it() =>
        QueryGen.Noise.Sample(
            text =>
            {
                var parsed = QueryParser.Parse(text);
                foreach (var error in parsed.Errors)
                {
                    Assert.InRange(error.Span.Start, 0, text.Length);
                    Assert.NotEmpty(error.Message);
                    var (line, column) = error.Position(text);
                    Assert.True(line >= 1 && column >= 1);
                }
                if (!parsed.Ok)
                    return;
                // What parses also prints, and means the same again.
                var printed = QueryPrinter.Print(parsed.Query);
                var again = QueryParser.Parse(printed);
                Assert.True(again.Ok, $"{text}\n→\n{printed}\n{string.Join("\n", again.Errors)}");
                Assert.Equal(parsed.Query, again.Query);
                Assert.Equal(printed, QueryPrinter.Print(again.Query));
            },
            iter: Cases.Of(20_000)
        );

    [Fact]
    public void Comments_survive_printing() =>
        Gen.Select(QueryGen.Query, Gen.Int[0, 3])
            .Sample(
                (tree, at) =>
                {
                    var lines = QueryPrinter.Print(tree).Split('\n').ToList();
                    at = Math.Min(at, lines.Count - 1);
                    lines[at] += " -- first note";
                    lines.Insert(at + 1, "-- second note");
                    var printed = QueryPrinter.Print(QueryParser.Parse(string.Join('\n', lines)).Query);
                    Assert.Contains("-- first note", printed);
                    Assert.Contains("-- second note", printed);
                    Assert.Equal(printed, QueryPrinter.Print(QueryParser.Parse(printed).Query));
                    Assert.Equal(tree, QueryParser.Parse(printed).Query);
                },
                iter: Cases.Of(1_000)
            );

    [Fact]
    public void Pointing_adds_its_condition_and_leaves_the_rest_as_typed() =>
        Gen.Select(QueryGen.Query, Gen.String[Gen.Char['a', 'z'], 1, 5], Gen.OneOf("Tarnhead", "two words", "409", "a*b", "x\"y"))
            .Sample(
                (tree, field, value) =>
                {
                    if (tree.Match is Term { Text: "from" })
                        return;
                    var text = QueryPrinter.Print(tree);
                    var edited = QueryEdits.With(text, field, Value.Of(value), excluded: false);
                    var parsed = QueryParser.Parse(edited.Text);
                    Assert.True(parsed.Ok, edited.Text);
                    var condition = new Compare(new Field(field), CompareOp.Equal, Literals.For(Value.Of(value)));
                    Assert.Equal(tree.Match is null ? condition : Expr.And([tree.Match, condition]), parsed.Query.Match);
                    Assert.Equal(tree.Stages, parsed.Query.Stages);
                    // Taking the new part and its brackets away gives the old text back.
                    var added = edited.Text.Substring(edited.Changed.Start, edited.Changed.Length);
                    Assert.Contains(QueryPrinter.PrintMatch(condition), added);
                    // Once is enough.
                    Assert.Equal(edited.Text, QueryEdits.With(edited.Text, field, Value.Of(value), excluded: false).Text);
                },
                iter: Cases.Of(2_000)
            );
}
