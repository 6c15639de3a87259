using System.Collections.Immutable;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Formulas.Learning;

namespace UprightMirror.Core.Tests.Formulas;

/// <summary>"Show me what you want": from two or three examples to a formula that does others too, and never a guess where nothing fits.</summary>
public class LearnerTests
{
    private static readonly FormulaSetting Setting = new(DateTimeOffset.UnixEpoch);

    /// <summary>Each task: the examples, then rows that the formula has not seen, all as inputs | output; fields are called a, b, c…</summary>
    public static TheoryData<string, string[], string[]> Tasks => new()
    {
        { "telephone to national form", ["+353861234567|0861234567", "+353872223344|0872223344", "+353851112233|0851112233"], ["+353891234567|0891234567", "+35312345678|012345678"] },
        { "first and last name turned round", ["Hanne Lunde|Lunde, Hanne", "Tomasz Wier|Wier, Tomasz"], ["Aoife Brannock|Brannock, Aoife", "Piet Dekker|Dekker, Piet"] },
        { "last, first turned round", ["Lunde, Hanne|Hanne Lunde", "Wier, Tomasz|Tomasz Wier"], ["Brannock, Aoife|Aoife Brannock", "van Dijk, Anna Maria|Anna Maria van Dijk"] },
        { "domain of an e-mail", ["hanne@lunde.example|lunde.example", "office@raven-rock.example|raven-rock.example"], ["a.b@club.example|club.example"] },
        { "user of an e-mail", ["hanne.lunde@sea.example|hanne.lunde", "office@rock.example|office"], ["a@b.example|a"] },
        { "initials", ["Hanne Lunde|HL", "Tomasz Wier|TW", "Aoife Brannock|AB"], ["Ingrid Sæther|IS"] },
        { "initial and name", ["Hanne|Lunde|H. Lunde", "Tomasz|Wier|T. Wier"], ["Aoife|Brannock|A. Brannock"] },
        { "user name", ["Hanne|Lunde|hlunde", "Tomasz|Wier|twier"], ["Aoife|Brannock|abrannock"] },
        { "middle part of a code", ["C-21704-IE|21704", "C-88-GB|88", "C-417-NO|417"], ["C-5-NL|5"] },
        { "last part of a code", ["SO/2026/00417|00417", "SO/2025/01200|01200"], ["SO/2024/3|3"] },
        { "postcode out of an address", ["4 Ferry Road, Kelburn, KB4 2RD|KB4 2RD", "18 Mill Lane, Tidewell, TW1 8ML|TW1 8ML"], ["1 A, B, C D|C D"] },
        { "town out of an address", ["4 Ferry Road, Kelburn, KB4 2RD|Kelburn", "18 Mill Lane, Tidewell, TW1 8ML|Tidewell"], ["1 A, Barr End, C D|Barr End"] },
        { "house number", ["4 Ferry Road|4", "18 Mill Lane|18", "122 The Quay|122"], ["7 Harbour Street|7"] },
        { "street without its number", ["4 Ferry Road|Ferry Road", "18 Mill Lane|Mill Lane", "122 The Quay Side|The Quay Side"], ["7 Harbour Street|Harbour Street"] },
        { "in brackets", ["Raven Rock (Harrowby)|Harrowby", "Quarry Lake Paddlers (Kelburn)|Kelburn"], ["X (Y Z)|Y Z"] },
        { "ISO to European date", ["2026-03-02|02/03/2026", "2025-12-24|24/12/2025"], ["2024-01-15|15/01/2024"] },
        { "European date to ISO", ["02/03/2026|2026-03-02", "24/12/2025|2025-12-24"], ["15/01/2024|2024-01-15"] },
        { "American date to ISO", ["03/02/2026|2026-03-02", "12/24/2025|2025-12-24"], ["01/15/2024|2024-01-15"] },
        { "German date to ISO", ["2.3.2026|2026-03-02", "24.12.2025|2025-12-24"], ["15.1.2024|2024-01-15"] },
        { "packed date", ["20260302|2026-03-02", "20251224|2025-12-24"], ["20240115|2024-01-15"] },
        { "date in words", ["2026-03-02|2 March 2026", "2025-12-24|24 December 2025"], ["2024-01-15|15 January 2024"] },
        { "date out of words", ["2 Mar 2026|2026-03-02", "24 Dec 2025|2025-12-24"], ["15 Jan 2024|2024-01-15"] },
        { "date of a moment", ["2026-03-02T14:30:05Z|2026-03-02", "2025-12-24T08:00:00Z|2025-12-24"], ["2024-01-15T00:00:01Z|2024-01-15"] },
        { "decimal comma", ["1234.50|1234,50", "7.25|7,25"], ["0.10|0,10", "99|99"] },
        { "decimal comma away", ["1.234,50|1234.50", "7,25|7.25"], ["1.000.000,10|1000000.10"] },
        { "thousands", ["1234567.5|1,234,567.50", "999|999.00"], ["1000|1,000.00"] },
        { "padding", ["417|00417", "8|00008", "12345|12345"], ["99|00099"] },
        { "padding in a code", ["417|C-000417", "8|C-000008"], ["21704|C-021704"] },
        { "zeros away", ["00417|417", "00008|8"], ["12300|12300"] },
        { "first non-empty", ["0131 496 0210||0131 496 0210", "|07700 900123|07700 900123", "a|b|a"], ["|x|x", "y||y", "p|q|p"] },
        { "first non-empty of three", ["|| c|c", "|b|c|b", "a|b|c|a"], ["||z|z", "x|y|z|x"] },
        { "product", ["12|2.5|30", "7|10|70"], ["3|1.1|3.3"] },
        { "line total with two decimals", ["3|19.99|59.97", "10|2.5|25.00"], ["2|7|14.00"] },
        { "net with a discount in per cent", ["200|10|180.00", "99.5|20|79.60"], ["10|50|5.00"] },
        { "pence to pounds", ["1250|12.5", "99|0.99", "100|1"], ["7|0.07"] },
        { "with tax", ["100|123", "50|61.5"], ["200|246"] },
        { "sum", ["1|2|3", "10|5|15"], ["7|8|15"] },
        { "upper case", ["Kelburn|KELBURN", "Mill Lane|MILL LANE"], ["Tidewell|TIDEWELL"] },
        { "proper case and trim", ["  hanne LUNDE |Hanne Lunde", "TOMASZ wier|Tomasz Wier"], [" aoife  brannock|Aoife Brannock"] },
        { "spaces out of a number", ["0131 496 0210|01314960210", "0161 496 0555|01614960555"], ["020 7946 0958|02079460958"] },
        { "digits only", ["(0131) 496-0210|01314960210", "(020) 7946-0958|02079460958"], ["(0161) 496-0555|01614960555"] },
        { "two fields in a row", ["Kelburn|KB4 2RD|Kelburn KB4 2RD", "Tidewell|TW1 8ML|Tidewell TW1 8ML"], ["A|B|A B"] },
        { "a middle name or none", ["Anna|Maria|Lunde|Anna Maria Lunde", "Tomasz||Wier|Tomasz Wier"], ["Aoife||Brannock|Aoife Brannock", "A|B|C|A B C"] },
        { "fixed text before", ["417|https://shop.example/orders/417", "8|https://shop.example/orders/8"], ["99|https://shop.example/orders/99"] },
        { "a code from two fields", ["Lunde|2026-03-02|LUN-2026", "Wier|2025-12-24|WIE-2025"], ["Brannock|2024-01-15|BRA-2024"] },
        { "small table", ["30 days net|N30", "14 days net|N14", "In advance|N0", "30 days net|N30"], ["14 days net|N14", "In advance|N0"] },
        { "word of a sentence", ["Order 417 from Kelburn|417", "Order 8 from Tidewell|8"], ["Order 99 from Harrowby|99"] },
        { "file ending", ["photo.JPG|jpg", "plan.v2.PDF|pdf"], ["a.TXT|txt"] },
        { "underscores for spaces", ["Raven Rock Club|raven_rock_club", "Quarry Lake|quarry_lake"], ["A B C D|a_b_c_d"] },
        { "month of a date", ["2026-03-02|03", "2025-12-24|12", "2025-07-01|07"], ["2024-01-15|01"] },
        { "telephone to international form", ["0861234567|+353861234567", "0872223344|+353872223344", "0851112233|+353851112233"], ["012345678|+35312345678"] },
        { "one part in capitals", ["Hanne Lunde|LUNDE Hanne", "Tomasz Wier|WIER Tomasz"], ["Aoife Brannock|BRANNOCK Aoife"] },
        { "capitals away and turned round", ["LUNDE, Hanne|Hanne Lunde", "WIER, Tomasz|Tomasz Wier"], ["BRANNOCK, Aoife|Aoife Brannock"] },
        { "title away", ["Dr. Hanne Lunde|Hanne Lunde", "Prof. Tomasz Wier|Tomasz Wier"], ["Mr. Piet Dekker|Piet Dekker"] },
        { "last name", ["Hanne Lunde|Lunde", "Anna Maria Wier|Wier"], ["Aoife Brannock|Brannock"] },
        { "legal form away", ["Raven Rock Ltd|Raven Rock", "Quarry Lake Paddlers Ltd|Quarry Lake Paddlers"], ["Barr End Ltd|Barr End"] },
        { "amount without its currency", ["EUR 1,234.50|1234.50", "EUR 7.25|7.25"], ["EUR 12,000.00|12000.00"] },
        { "weight without its unit", ["12.5 kg|12.5", "7 kg|7"], ["100.25 kg|100.25"] },
        { "currency before an amount", ["1234.5|€1,234.50", "7|€7.00"], ["99.99|€99.99"] },
        { "quantity times price with text", ["3|2.5|3 x 2.5", "10|7|10 x 7"], ["1|1|1 x 1"] },
        { "two-digit year", ["02/03/26|2026-03-02", "24/12/25|2025-12-24"], ["15/01/24|2024-01-15"] },
        { "date with dots", ["2026-03-02|02.03.2026", "2025-12-24|24.12.2025"], ["2024-01-15|15.01.2024"] },
        { "month and year", ["2026-03-02|Mar 2026", "2025-12-24|Dec 2025"], ["2024-01-15|Jan 2024"] },
        { "thirty days later", ["2026-03-02|2026-04-01", "2025-12-24|2026-01-23"], ["2024-01-15|2024-02-14"] },
        { "address from its parts", ["4 Ferry Road|Kelburn|KB4 2RD|4 Ferry Road, Kelburn KB4 2RD", "18 Mill Lane|Tidewell|TW1 8ML|18 Mill Lane, Tidewell TW1 8ML"], ["x|y|z|x, y z"] },
        { "letters of a code", ["KB4 2RD|KB", "TW1 8ML|TW", "G1 1AA|G"], ["EH12 9XY|EH"] },
        { "other letters", ["Sæther & Ødegård|SÆTHER & ØDEGÅRD", "Brønn|BRØNN"], ["Åse|ÅSE"] },
        { "first name when there are more", ["Anna Maria Lunde|Anna", "Tomasz Wier|Tomasz"], ["Piet van Dijk|Piet"] },
        { "web address to domain", ["https://www.raven.example/about|raven.example", "https://www.lake.example/shop|lake.example"], ["https://www.club.example/x|club.example"] },
        { "a stroke for each part", ["GB-131-4960210|GB/131/4960210", "NO-22-550011|NO/22/550011"], ["IE-1-2|IE/1/2"] },
    };

    private static readonly ImmutableArray<string> Names = ["a", "b", "c", "d"];

    private static (ImmutableArray<string> Inputs, string Output) Row(string text)
    {
        var cells = text.Split('|');
        return ([.. cells[..^1]], cells[^1]);
    }

    [Theory]
    [MemberData(nameof(Tasks))]
    public void What_the_examples_show_is_done_to_others(string task, string[] examples, string[] others)
    {
        var shown = examples.Select(Row).ToList();
        var fields = Names[..shown[0].Inputs.Length];
        var learned = Learner.Learn(fields, [.. shown.Select(s => new Example(s.Inputs, s.Output))]);
        learned.ShouldNotBeEmpty(task);
        Formula.Parse(learned[0].Formula, fields.Contains, out var formula, out _).ShouldBeTrue();
        foreach (var (inputs, output) in others.Select(Row))
        {
            Learner.Apply(formula!, fields, inputs, Setting).Shown.ShouldBe(output, $"{task}: {learned[0].Formula}");
        }
    }

    [Theory]
    [InlineData("alpha|k7q", "beta|zz9", "gamma|p41")]
    [InlineData("alpha|beta", "gamma|delta", "zeta|eta!")]
    [InlineData("12|kg", "7|lb", "3|oz")]
    [InlineData("Hanne Lunde|Lunde", "Hanne Lunde|Hanne", "Aoife Brannock|Brannock")]
    [InlineData("|x", "|y")]
    public void Nothing_is_guessed_where_nothing_fits(params string[] examples)
    {
        var shown = examples.Select(Row).ToList();
        Learner.Learn(Names[..shown[0].Inputs.Length], [.. shown.Select(s => new Example(s.Inputs, s.Output))]).Select(l => l.Formula).ShouldBeEmpty();
    }

    [Fact]
    public void A_code_that_is_not_in_a_learned_table_is_not_guessed()
    {
        var learned = Learner.Learn(["a"], [.. new[] { "red|7", "blue|3", "red|7", "green|9" }.Select(Row).Select(r => new Example(r.Inputs, r.Output))]);
        Formula.Parse(learned[0].Formula, null, out var formula, out _);
        Learner.Apply(formula!, ["a"], ["violet"], Setting).Shown.ShouldBe("#N/A");
    }

    [Fact]
    public void Hundreds_of_examples_and_long_texts_end_soon()
    {
        var many = Enumerable.Range(0, 200).Select(i => new Example([$"P{i} X", new string('x', 3000) + i], $"{i}-P")).ToList();
        Learner.Learn(["a", "b"], many).ShouldNotBeNull();
        Learner.Learn([.. Enumerable.Range(0, 40).Select(i => $"f{i}")], [.. Enumerable.Range(0, 3).Select(r => new Example([.. Enumerable.Range(0, 40).Select(i => $"value {i} of {r}")], $"value 7 of {r}, value 9 of {r}"))]).ShouldNotBeEmpty();
    }

    [Fact]
    public void The_same_examples_always_give_the_same_formulas()
    {
        var examples = new[] { "Hanne Lunde|Lunde, Hanne", "Tomasz Wier|Wier, Tomasz" }.Select(Row).Select(r => new Example(r.Inputs, r.Output)).ToList();
        Learner.Learn(["a"], examples).ShouldBe(Learner.Learn(["a"], examples));
        Learner.Learn(["a"], [.. examples.AsEnumerable().Reverse()])[0].Formula.ShouldBe(Learner.Learn(["a"], examples)[0].Formula);
    }
}
