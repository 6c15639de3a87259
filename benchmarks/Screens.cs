using System.Diagnostics;
using System.Globalization;
using System.Net.Http.Json;
using System.Text.Json;
using Microsoft.AspNetCore.Identity;
using Npgsql;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Storage;
using UprightMirror.Web.Tests;

/// <summary>How soon the pages that people work in all day are answered, on years of history: asked over HTTP of a process of the product.</summary>
internal static class Screens
{
    private const int Asked = 60;
    private const double Limit = 100;

    private static string Program => Path.Combine(AppContext.BaseDirectory, "UprightMirror.Web.dll");

    private static readonly string[] Mirrored = ["customers", "orders", "invoices"];

    private static readonly string[] Words = ["heron", "kelburn club", "900017", "otter", "o-412", "zz nothing", "paddle works 77", "+44 131 4960021", "weir", "c123456"];

    public static async Task<int> Measure(int records, int journal, int conflicts)
    {
        await using var processes = new Processes(Settling.Server, Program);
        await processes.Begin();
        await new Users(processes.Source).Add("bench@t.example", "Bench", "administrator", new PasswordHasher<string>().HashPassword("", "a bench by the river"), CancellationToken.None);
        await Fill(processes, records, journal, conflicts);
        await processes.Start("web");
        using var http = new HttpClient { BaseAddress = processes.Web };
        (await http.PostAsJsonAsync("/api/session", new { email = "bench@t.example", password = "a bench by the river" })).EnsureSuccessStatusCode();

        var (conflict, link, run) = (await processes.Ask<long>("select id from conflict where state = 'open' order by opened_at offset 500 limit 1"), await processes.Ask<Guid>("select id from link order by id offset 5000 limit 1"), await processes.Ask<long>("select max(id) from run"));
        var failed = 0;
        foreach (var (name, address) in new (string, Func<int, string>)[]
        {
            ("Today", n => $"/api/today?zoneMinutes={n % 3 * 60}"),
            ("the queues' counts", _ => "/api/queues"),
            ("Runs", n => n % 2 == 0 ? "/api/runs" : $"/api/runs?mirror={Mirrored[n % 3]}"),
            ("a run", _ => $"/api/runs/{run}"),
            ("Conflicts", _ => "/api/conflicts"),
            ("a conflict", _ => $"/api/conflicts/{conflict}"),
            ("Held", _ => "/api/held"),
            ("Look-alikes", _ => "/api/look-alikes"),
            ("Records", n => $"/api/records?mirror={Mirrored[n % 3]}&offset={n * 100}"),
            ("record search", n => $"/api/records?text={Uri.EscapeDataString(Words[n % Words.Length])}"),
            ("a record", _ => $"/api/records/{link}"),
            ("Mirrors", _ => "/api/mirrors"),
            ("Systems", _ => "/api/systems"),
        })
        {
            var took = new List<double>();
            for (var n = 0; n < Asked + 3; n++)
            {
                var begun = Stopwatch.GetTimestamp();
                using var answer = await http.GetAsync(address(n));
                var body = await answer.Content.ReadAsByteArrayAsync();
                answer.EnsureSuccessStatusCode();
                if (n >= 3)
                {
                    took.Add(Stopwatch.GetElapsedTime(begun).TotalMilliseconds); // The first ones warm up.
                }

                if (n == 3 && Environment.GetEnvironmentVariable("UPRIGHT_BENCH_SIZES") is not null)
                {
                    Console.WriteLine($"  {name}: {body.Length:N0} bytes");
                }
            }

            took.Sort();
            var late = took[(int)(0.95 * (took.Count - 1))];
            failed += late < Limit ? 0 : 1;
            Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"{name}, {records:N0} records, {journal:N0} journal rows, {conflicts:N0} conflicts: {took[took.Count / 2]:0} ms in the middle, {late:0} ms at the 95th percentile (limit: {Limit:0} ms)"));
        }

        return failed;
    }

    /// <summary>Three mirrors of two or three systems, with a year of history.</summary>
    private static async Task Fill(Processes processes, int records, int journal, int conflicts)
    {
        foreach (var (system, name) in new[] { ("crm", "Slipway CRM"), ("erp", "Ballast ERP"), ("mail", "Pennant Mail") })
        {
            await Do($"insert into connection (system, name, monogram, colour, protocol, address, secrets) values ('{system}', '{name}', '{name[..2]}', '#123456', 'rest', 'http://127.0.0.1:1/', '')");
        }

        static SideField? Both(string path) => new(path, true, true, new AsItStands());
        foreach (var key in Mirrored)
        {
            await processes.Mirrors.Save(
                new MirrorDefinition(key, key, key[..^1], [new SideDefinition("crm", key), new SideDefinition("erp", key)],
                    [new AgreedFieldDefinition("Name", FieldType.Text, [Both("name"), Both("name")]), new AgreedFieldDefinition("Telephone", FieldType.Text, [Both("phone"), Both("phone")]), new AgreedFieldDefinition("Town", FieldType.Text, [Both("town"), Both("town")])],
                    [new RecognisingRule("Name")], "Name"),
                "a bench", CancellationToken.None);
        }

        var each = records / Mirrored.Length;
        string[] stems = ["Heron Weir Canoe Club", "Kelburn Paddle Works", "Otter Bend Rowing", "Barr End Outfitters", "Saltmarsh School"];
        var titles = $"(array['{string.Join("','", stems)}'])[1 + n % {stems.Length}] || ' ' || n";
        for (var m = 1; m <= Mirrored.Length; m++)
        {
            await Do($$"""
                insert into link (mirror_id, id, title, agreed, waiting, search, created_at, changed_at)
                select {{m}}, ('00000000-0000-7{{m}}00-8000-' || lpad(to_hex(n), 12, '0'))::uuid, {{titles}},
                    jsonb_build_object('Name', jsonb_build_object('value', {{titles}}, 'shown', {{titles}}, 'side', 0, 'changedAt', null, 'who', null, 'at', now(), 'run', 1, 'why', 'only Slipway CRM gives it')),
                    false, lower({{titles}}) || ' o-' || n || ' c' || (900000 + n) || ' 44131' || (4960000 + n), now() - interval '300 days', now() - n * interval '20 seconds' from generate_series(1, {{each}}) n
                """);
            for (var side = 0; side < 2; side++)
            {
                await Do($$"""
                    insert into system_record (mirror_id, side, id, link_id, raw, shadow, seen_at, waiting, changed_at, evidence_due)
                    select {{m}}, {{side}}, {{(side == 0 ? "'o-' || n" : "'c' || (900000 + n)")}}, ('00000000-0000-7{{m}}00-8000-' || lpad(to_hex(n), 12, '0'))::uuid,
                        jsonb_build_object('name', {{titles}}), jsonb_build_object('name', {{titles}}), now(), false, now(), false from generate_series(1, {{each}}) n
                    """);
            }

            await Do($"insert into run (mirror_id, rehearsal, state, started_by, started_at, ended_at, counts) select {m}, n % 20 = 0, case when n % 50 = 0 then 'failed' else 'finished' end, 'its schedule', now() - n * interval '50 minutes', now() - n * interval '50 minutes' + interval '20 seconds', '{{\"read\":10,\"written\":3}}' from generate_series(10000, 1, -1) n");
            await Do($$"""
                insert into journal (mirror_id, link_id, run_id, at, kind, side, field, before, after, why)
                select {{m}}, ('00000000-0000-7{{m}}00-8000-' || lpad(to_hex(1 + (n * 7919::bigint) % {{each}}), 12, '0'))::uuid, 1, now() - n * interval '365 days' / {{journal / Mirrored.Length}},
                    (array['Agreed','Written','Written','Met','Decided'])[1 + n % 5], n % 2, 'Town', '"Kelburn"', '"Otterford"', (array['only Slipway CRM changed it','the rule latest','both came to the same','first meeting','decided: a value typed by hand'])[1 + n % 5]
                from generate_series({{journal / Mirrored.Length}}, 1, -1) n
                """);
            await Do($$"""
                insert into conflict (mirror_id, link_id, fields, competing, why, opened_at)
                select {{m}}, ('00000000-0000-7{{m}}00-8000-' || lpad(to_hex(n), 12, '0'))::uuid, array[(array['Telephone','Town','Name'])[1 + n % 3]],
                    jsonb_build_object('0', jsonb_build_object((array['Telephone','Town','Name'])[1 + n % 3], 'one ' || n), '1', jsonb_build_object((array['Telephone','Town','Name'])[1 + n % 3], 'other ' || n)), 'both changed it', now() - n * interval '10 seconds'
                from generate_series(1, {{conflicts / Mirrored.Length}}) n
                """);
            await Do($"insert into hold (mirror_id, side, record_id, title, field, reason, since) select {m}, 0, 'o-' || n, {titles}, 'Telephone', 'Slipway CRM, customer o-' || n || ': Telephone \"' || n || '\" can''t be read as a telephone number.', now() - n * interval '1 minute' from generate_series(1, 5000) n");
            await Do($$"""insert into look_alike (mirror_id, side_a, id_a, side_b, id_b, likelihood, probability, found_at) select {{m}}, 0, 'o-' || n, 1, 'c' || (900000 + n + 1), '{"before":-5,"lines":[],"relatives":0,"rivals":0}', 0.5 + (n % 40) / 100.0, now() - n * interval '1 minute' from generate_series(1, 3000) n""");
            await Do($"insert into run_record (mirror_id, run_id, link_id, outcome) select {m}, (select max(id) from run where mirror_id = {m}), ('00000000-0000-7{m}00-8000-' || lpad(to_hex(n), 12, '0'))::uuid, 'Updated' from generate_series(1, 2000) n");
        }

        // As a day later, when counts were put together.
        await new Counts(processes.Source).PutTogether(DateTimeOffset.UtcNow.AddHours(1), CancellationToken.None);
        await Do("vacuum analyze");

        async Task Do(string sql)
        {
            await using var command = processes.Source.CreateCommand(sql);
            command.CommandTimeout = 0;
            await command.ExecuteNonQueryAsync();
        }
    }
}
