using System.Collections.Immutable;
using System.Diagnostics;
using System.Globalization;
using Npgsql;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Values;
using UprightMirror.Engine;
using UprightMirror.Storage;

/// <summary>One new record recognised among many known ones, by the index in the database and by what was learned of them.</summary>
internal static class Recognising
{
    private const int New = 300;
    private const int MostCompared = 150;
    private const double Limit = 20;
    private static readonly string[] Kinds = ["given", "family", "date", "street", "town", "postcode", "phone", "email"];

    public static async Task<int> One(int known)
    {
        var server = Environment.GetEnvironmentVariable("UPRIGHT_BENCH_SERVER") ?? throw new InvalidOperationException("UPRIGHT_BENCH_SERVER is not set: run ./bench.");
        Database.Migrate(server);
        await using var source = NpgsqlDataSource.Create(server);
        var likeness = new LikenessDefinition([.. Kinds.Select(k => new EvidenceOf(k, k))]);
        var definition = new MirrorDefinition($"known{known}", $"known{known}", "person", [new SideDefinition("a", "people"), new SideDefinition("b", "people")],
            [.. Kinds.Select(k => new AgreedFieldDefinition(k, FieldType.Text, [new SideField(k, true, true, new AsItStands()), null]))], [], "family", Likeness: likeness);
        var mirrors = new Mirrors(source);
        await mirrors.Save(definition, "a test", CancellationToken.None);
        var mirror = (await mirrors.Find(definition.Key, CancellationToken.None))!;
        var rows = MatchingSets.People(11, (int)((known + New) / 1.456)).Sides[0].Select(r => r.Skip(1).ToImmutableArray()).ToList();
        var every = rows.Count / New;
        var (kept, fresh) = (rows.Where((_, i) => i % every != 0).ToList(), rows.Where((_, i) => i % every == 0).ToList());

        var plan = likeness.Plan();
        MatchPlan[] plans = [plan, plan];
        var set = MatchSet.Of(plans, [.. kept.Select(r => ((IReadOnlyList<string>)r, (byte)0))]);
        var model = MatchModel.Learn(plan, set).Model;
        await using var connection = await source.OpenConnectionAsync();
        var store = new LikenessStore(connection, mirror.Id, TimeProvider.System);
        await Fill(connection, store, mirror.Id, kept, Blocking.KeysByRecord(set), CancellationToken.None);
        await store.SaveModel(model, set.Names, Blocking.Common(set), CancellationToken.None);
        await Execute(connection, "analyze likeness; analyze match_name; analyze system_record; analyze common_block");

        // Some to warm up, then each by itself.
        var times = new List<double>();
        var found = 0;
        for (var i = -20; i < fresh.Count; i++)
        {
            var started = Stopwatch.GetTimestamp();
            var (_, _, matcher) = await Likening.Candidates(store, plan, model, 2, new RecordPlace(0, $"new{i}"), fresh[Math.Abs(i)], MostCompared, CancellationToken.None);
            var likely = matcher.PairsOf(0).Any(p => p.Probability >= 0.5);
            if (i >= 0)
            {
                times.Add(Stopwatch.GetElapsedTime(started).TotalMilliseconds);
                found += likely ? 1 : 0;
            }
        }

        times.Sort();
        var (median, late) = (times[times.Count / 2], times[(int)(times.Count * 0.95)]);
        Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"one new record among {kept.Count:N0} known ones, through the database: {median:0.0} ms in the middle, {late:0.0} ms at the 95th percentile (limit: {Limit:0} ms); {found} of {New} were known already"));
        return kept.Count >= 900_000 && median > Limit ? 1 : 0;
    }

    private static async Task Fill(NpgsqlConnection connection, LikenessStore store, int mirror, List<ImmutableArray<string>> rows, IReadOnlyList<long[]> blocks, CancellationToken cancellation)
    {
        await Execute(connection, $"delete from likeness where mirror_id = {mirror}; delete from system_record where mirror_id = {mirror}; drop index likeness_blocks");
        await using (var copy = await connection.BeginBinaryImportAsync("copy system_record (mirror_id, side, id, raw, seen_at, waiting, evidence_due) from stdin (format binary)", cancellation))
        {
            for (var i = 0; i < rows.Count; i++)
            {
                await copy.StartRowAsync(cancellation);
                await copy.WriteAsync(mirror, cancellation);
                await copy.WriteAsync(0, cancellation);
                await copy.WriteAsync($"p{i}", cancellation);
                await copy.WriteAsync("{}", NpgsqlTypes.NpgsqlDbType.Jsonb, cancellation);
                await copy.WriteAsync(DateTime.UnixEpoch, NpgsqlTypes.NpgsqlDbType.TimestampTz, cancellation);
                await copy.WriteAsync(false, cancellation);
                await copy.WriteAsync(false, cancellation);
            }

            await copy.CompleteAsync(cancellation);
        }

        foreach (var batch in Enumerable.Range(0, rows.Count).Chunk(5000))
        {
            await store.SaveEvidence([.. batch.Select(i => new RecordEvidence(0, $"p{i}", rows[i], [.. blocks[i]]))], cancellation);
        }

        await Execute(connection, "create index likeness_blocks on likeness using gin (blocks) with (fastupdate = off)");
    }

    private static async Task Execute(NpgsqlConnection connection, string sql)
    {
        await using var command = new NpgsqlCommand(sql, connection) { CommandTimeout = 3600 };
        await command.ExecuteNonQueryAsync();
    }
}
