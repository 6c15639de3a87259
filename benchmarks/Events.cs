using System.Diagnostics;
using System.Globalization;
using System.Net.Http.Json;
using UprightMirror.Core.Timing;
using UprightMirror.Web.Tests;

/// <summary>What is sent to us: how much is taken, how soon it is on the other side, and whether anything is lost when workers die.</summary>
internal static class Events
{
    private const int PerSecond = 500;
    private const int Members = 1500;
    private const int Single = 120;

    private static string Program => Path.Combine(AppContext.BaseDirectory, "UprightMirror.Web.dll");

    public static async Task<int> Measure(int seconds)
    {
        await using var processes = new Processes(Settling.Server, Program);
        await processes.Begin();
        return await Soon(processes) + await Burst(processes, seconds);
    }

    /// <summary>Single events, one after another: from the call until the record stands in the other system.</summary>
    private static async Task<int> Soon(Processes processes)
    {
        var path = await processes.BringIn("soon", MirrorTiming.ByHandOnly);
        await processes.Start("web");
        var worker = await processes.Start("worker");
        using var http = new HttpClient { BaseAddress = processes.Web };
        var took = new List<double>();
        for (var n = 0; n < Single + 5; n++)
        {
            var begun = Stopwatch.StartNew();
            (await http.PostAsJsonAsync(path, new { email = $"soon{n}@t.example", name = $"Soon {n}", town = "Kelburn", at = DateTimeOffset.UtcNow })).EnsureSuccessStatusCode();
            while (await processes.Ask<long>($"select count(*) from club.soon where email = 'soon{n}@t.example'") == 0)
            {
                await Task.Delay(10);
            }

            if (n >= 5)
            {
                took.Add(begun.Elapsed.TotalMilliseconds); // The first ones warm up.
            }

            await Task.Delay(50 + (n * 37 % 200));
        }

        await Processes.Kill(worker);
        var late = At(took, 0.95);
        Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"an event becomes a write on the other side: {At(took, 0.5):0} ms in the middle, {late:0} ms at the 95th percentile (limit: 1,000 ms)"));
        return late < 1000 ? 0 : 1;
    }

    /// <summary>Many a second, repeated and shuffled, while the worker is killed twice.</summary>
    private static async Task<int> Burst(Processes processes, int seconds)
    {
        var (shuffled, once) = (await processes.BringIn("shuffled", MirrorTiming.ByHandOnly), await processes.BringIn("once", MirrorTiming.ByHandOnly));
        var count = PerSecond * seconds;
        var sayings = Sayings.Of(Members, count / Members / 2);
        var random = new Random(20260302);
        var sent = sayings.Concat(Enumerable.Range(0, count - sayings.Length).Select(_ => sayings[random.Next(sayings.Length)])).OrderBy(_ => random.Next()).ToList();
        var worker = await processes.Start("worker");
        var clock = Stopwatch.StartNew();
        var sending = Sayings.Send(new Uri(processes.Web, shuffled), sent, PerSecond);
        for (var kills = 0; kills < 2; kills++)
        {
            // In the middle of what it does; if it does nothing just then, all the same.
            var due = TimeSpan.FromSeconds(seconds * (0.1 + (0.3 * kills)));
            while (clock.Elapsed < due || (await processes.Running() is null && clock.Elapsed < due + TimeSpan.FromSeconds(5)))
            {
                await Task.Delay(5);
            }

            await Processes.Kill(worker);
            worker = await processes.Start("worker");
        }

        var (refused, took) = await sending;
        var lasted = clock.Elapsed;
        await processes.Settled(TimeSpan.FromMinutes(10));
        var settled = clock.Elapsed;
        refused += (await Sayings.Send(new Uri(processes.Web, once), sayings, PerSecond)).Refused;
        await processes.Settled(TimeSpan.FromMinutes(10));

        var (table, expected) = (await processes.Table("shuffled"), await processes.Table("once"));
        var cut = await processes.Ask<long>("select count(*) from run where cut_off");
        Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"{sent.Count:N0} events of {sayings.Length:N0} different ones in {lasted.TotalSeconds:0.0} s, {sent.Count / lasted.TotalSeconds:N0} a second (limit: 500), answered in {At(took, 0.95):0} ms at the 95th percentile (limit: 50 ms), {refused} not taken (limit: 0)"));
        Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"with {cut} runs cut off by kills, {(settled - lasted).TotalSeconds:0.0} s after the last one the other system holds {table.Split('\n').Length:N0} records (right: {Members:N0}), {(table == expected ? "just as" : "OTHER THAN")} if each had come once"));
        return refused == 0 && table == expected && table.Split('\n').Length == Members && At(took, 0.95) < 50 && sent.Count / lasted.TotalSeconds > PerSecond * 0.98 ? 0 : 1;
    }

    private static double At(IReadOnlyCollection<double> all, double share) => all.Order().ElementAt((int)Math.Min(all.Count - 1, all.Count * share));
}
