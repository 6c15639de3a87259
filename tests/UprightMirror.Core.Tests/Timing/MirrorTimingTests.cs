using System.Globalization;
using CsCheck;
using UprightMirror.Core.Timing;

namespace UprightMirror.Core.Tests.Timing;

/// <summary>When mirrors run by themselves: never in their quiet hours, never twice for one time, and said in words.</summary>
public class MirrorTimingTests
{
    private static readonly string[] Zones = ["UTC", "Europe/Amsterdam", "America/New_York", "Asia/Kolkata", "Australia/Lord_Howe"];

    private static Gen<T> One<T>(params T[] any) => Gen.Int[0, any.Length - 1].Select(i => any[i]);

    private static DateTimeOffset At(string text) => DateTimeOffset.Parse(text, CultureInfo.InvariantCulture);

    private static readonly DateTimeOffset Now = At("2026-11-27T10:15:00Z");

    private static readonly Gen<DateTimeOffset> Moment = Gen.Int[0, 3 * 366 * 24 * 60].Select(m => At("2026-01-01T00:00:00Z").AddMinutes(m));

    private static readonly Gen<TimeOnly> Time = Gen.Int[0, 1439].Select(m => new TimeOnly(m / 60, m % 60));

    private static readonly Gen<QuietHours?> Quiet = Gen.Select(Time, Time, Gen.Enum<DayOfWeek>().Array[0, 3], Gen.Bool)
        .Select(q => q.Item4 || q.Item1 == q.Item2 ? null : new QuietHours(q.Item1, q.Item2, [.. q.Item3]));

    private static readonly Gen<MirrorTiming> Any = Gen.Select(
        One(TimingKind.Every, TimingKind.Hourly, TimingKind.Daily, TimingKind.Weekly, TimingKind.Monthly, TimingKind.Yearly), Gen.Int[1, 3000], Time, Gen.Enum<DayOfWeek>().Array[1, 4], Gen.Int[1, 28], Gen.Int[1, 12], One(Zones), Quiet)
        .Select(t => new MirrorTiming(t.Item1, t.Item2, t.Item3, [.. t.Item4], t.Item5, t.Item6, TimeZone: t.Item7, Quiet: t.Item8));

    [Fact]
    public void The_next_time_is_later_never_in_quiet_hours_and_none_is_passed_over() =>
        Gen.Select(Any, Moment, Gen.Int[0, 5000]).Sample((timing, moment, later) =>
        {
            timing.Problems(moment, "customers").ShouldBeEmpty();
            var next = timing.Next(moment)!.Value;
            next.ShouldBeGreaterThan(moment);
            timing.QuietUntil(next).ShouldBeNull();
            timing.Next(moment.AddMinutes(later))!.Value.ShouldBeGreaterThanOrEqualTo(next);
        });

    [Fact]
    public void A_moment_within_quiet_hours_leads_to_their_end_and_the_end_is_not_quiet() =>
        Gen.Select(Quiet.Where(q => q is not null), Moment, One(Zones)).Sample((quiet, moment, zone) =>
        {
            var timing = new MirrorTiming(TimingKind.Every, 10, TimeZone: zone, Quiet: quiet);
            if (timing.QuietUntil(moment) is { } end)
            {
                end.ShouldBeGreaterThan(moment);
                (end - moment).ShouldBeLessThanOrEqualTo(TimeSpan.FromHours(25.5));
            }
        });

    [Theory]
    [InlineData("every 15", "2026-11-27T10:30:00Z")]
    [InlineData("hourly 00:05", "2026-11-27T11:05:00Z")]
    [InlineData("daily 06:00", "2026-11-28T05:00:00Z")]
    [InlineData("weekly 06:00", "2026-11-30T05:00:00Z")]
    [InlineData("monthly 06:00", "2026-11-30T05:00:00Z")]
    [InlineData("yearly 06:00", "2027-01-31T05:00:00Z")]
    [InlineData("30 6 * * MON-FRI", "2026-11-30T05:30:00Z")]
    [InlineData("*/20 * * * *", "2026-11-27T10:20:00Z")]
    public void Times_are_those_of_the_clock_in_the_time_zone(string said, string next)
    {
        Said(said).Next(Now).ShouldBe(At(next));
    }

    [Fact]
    public void A_time_that_clocks_jump_over_comes_when_they_have_jumped_and_one_that_comes_twice_comes_once()
    {
        var night = new MirrorTiming(TimingKind.Daily, At: new TimeOnly(2, 30), TimeZone: "Europe/Amsterdam");
        night.NextTimes(At("2027-03-27T12:00:00Z"), 2).Select(t => t.UtcDateTime.ToString("MM-dd HH:mm", CultureInfo.InvariantCulture)).ShouldBe(["03-28 01:00", "03-29 00:30"]);
        night.NextTimes(At("2026-10-24T12:00:00Z"), 2).Select(t => t.UtcDateTime.ToString("MM-dd HH:mm", CultureInfo.InvariantCulture)).ShouldBe(["10-25 00:30", "10-26 01:30"]);
    }

    [Fact]
    public void What_comes_due_in_quiet_hours_is_made_up_once_at_their_end()
    {
        var timing = new MirrorTiming(TimingKind.Every, 30, TimeZone: "Europe/Amsterdam", Quiet: new QuietHours(new TimeOnly(22, 0), new TimeOnly(5, 30)));
        timing.NextTimes(At("2026-11-27T20:20:00Z"), 3).Select(t => t.ToString("dd HH:mm", CultureInfo.InvariantCulture)).ShouldBe(["27 21:50", "28 05:30", "28 06:00"]);
        timing.QuietUntil(At("2026-11-27T21:00:00Z")).ShouldBe(At("2026-11-28T04:30:00Z"));
        timing.QuietUntil(At("2026-11-28T04:30:00Z")).ShouldBeNull();
    }

    [Fact]
    public void Quiet_hours_of_some_days_leave_the_others_alone()
    {
        var weekend = new MirrorTiming(TimingKind.Every, 60, Quiet: new QuietHours(new TimeOnly(0, 0), new TimeOnly(0, 0), [DayOfWeek.Saturday, DayOfWeek.Sunday]));
        weekend.Problems(Now, "x").ShouldBeEmpty();
        weekend.Next(At("2026-11-27T23:30:00Z")).ShouldBe(At("2026-11-30T00:00:00Z"));
        weekend.QuietUntil(At("2026-11-27T23:30:00Z")).ShouldBeNull();
    }

    [Theory]
    [InlineData("0 0 30 2 *", "0 0 30 2 * never comes")]
    [InlineData("61 * * * *", "is no calendar expression")]
    [InlineData("every day", "is no calendar expression")]
    [InlineData("", "Give five fields")]
    public void A_calendar_expression_that_never_comes_or_is_none_is_refused_in_words(string expression, string words) =>
        new MirrorTiming(TimingKind.Calendar, Calendar: expression).Problems(Now, "customers").ShouldHaveSingleItem().ShouldContain(words);

    [Fact]
    public void What_can_not_be_a_timing_is_refused()
    {
        new MirrorTiming(TimingKind.Every, 0).Problems(Now, "a").ShouldHaveSingleItem();
        new MirrorTiming(TimingKind.Daily).Problems(Now, "a").ShouldHaveSingleItem();
        new MirrorTiming(TimingKind.Weekly, At: default(TimeOnly)).Problems(Now, "a").ShouldHaveSingleItem();
        new MirrorTiming(TimingKind.Monthly, At: default(TimeOnly), DayOfMonth: 31).Problems(Now, "a").ShouldHaveSingleItem();
        new MirrorTiming(TimingKind.Yearly, At: default(TimeOnly), DayOfMonth: 30, Month: 2).Problems(Now, "a").ShouldHaveSingleItem();
        new MirrorTiming(TimingKind.After, After: "a").Problems(Now, "a").ShouldHaveSingleItem();
        new MirrorTiming(TimeZone: "Mars/Olympus").Problems(Now, "a").ShouldHaveSingleItem().ShouldContain("Mars/Olympus");
        new MirrorTiming(Quiet: new QuietHours(new TimeOnly(8, 0), new TimeOnly(8, 0))).Problems(Now, "a").ShouldHaveSingleItem();
        new MirrorTiming(TimingKind.Daily, At: new TimeOnly(8, 0), Quiet: new QuietHours(default, default, [.. Enum.GetValues<DayOfWeek>()])).Problems(Now, "a").ShouldHaveSingleItem().ShouldContain("never run");
    }

    [Theory]
    [InlineData("every 15", "It runs every 15 minutes")]
    [InlineData("every 120", "It runs every 2 hours")]
    [InlineData("hourly 00:05", "It runs every hour, at minute 5")]
    [InlineData("daily 06:00", "It runs every day at 06:00 (Europe/Amsterdam)")]
    [InlineData("weekly 06:00", "It runs every Monday and Thursday at 06:00 (Europe/Amsterdam)")]
    [InlineData("monthly 06:00", "It runs on the last day of each month at 06:00 (Europe/Amsterdam)")]
    [InlineData("yearly 06:00", "It runs every year on 31 January at 06:00 (Europe/Amsterdam)")]
    [InlineData("30 6 * * MON-FRI", "It runs at 06:30, on Monday to Friday (Europe/Amsterdam)")]
    [InlineData("0 12 1,15 * *", "It runs at 12:00, on day 1 and 15 of the month (Europe/Amsterdam)")]
    [InlineData("0 6 * * *", "It runs at 06:00 every day (Europe/Amsterdam)")]
    [InlineData("*/20 8-17 * 1,7 *", "It runs every 20 minutes, in hour 8 to 17, in January and July (Europe/Amsterdam)")]
    [InlineData("5,35 * 1-10/3 * 1-5", "It runs at minute 5 and 35, on day every 3 from 1 to 10 of the month, on Monday to Friday (Europe/Amsterdam)")]
    [InlineData("0 6 L * *", "It runs by the calendar expression 0 6 L * * (Europe/Amsterdam)")]
    public void It_is_said_in_words(string said, string words) =>
        TimingWords.Of(Said(said) with { OnEvents = false, OnFiles = false }, k => k).ShouldBe($"{words}.");

    [Fact]
    public void What_else_makes_it_run_and_when_it_is_quiet_is_said_too()
    {
        TimingWords.Of(new MirrorTiming(TimingKind.After, After: "customers", Quiet: new QuietHours(new TimeOnly(22, 0), new TimeOnly(6, 0))), _ => "Customers").ShouldBe(
            "It runs whenever a run of Customers has finished, and soon after a system tells of a change or a file comes. From 22:00 to 06:00 no run begins by itself; what came due then is made up once afterwards.");
        TimingWords.Of(At("2026-11-27T06:00:00+01:00")).ShouldBe("Friday 27 November 2026, 06:00");
    }

    [Fact]
    public void Two_that_say_the_same_are_the_same() =>
        Gen.Select(Any, Any).Sample((one, other) =>
        {
            one.ShouldBe(one with { Days = [.. one.Days.Reverse()], Quiet = one.Quiet is { } q ? q with { } : null });
            (one == other).ShouldBe(TimingWords.Of(one, k => k) == TimingWords.Of(other, k => k) && (one.Minutes, one.At, one.DayOfMonth, one.Month) == (other.Minutes, other.At, other.DayOfMonth, other.Month) && one.Days.SequenceEqual(other.Days));
        });

    private static MirrorTiming Said(string said)
    {
        var amsterdam = new MirrorTiming(TimeZone: "Europe/Amsterdam");
        var (kind, of) = (said.Split(' ')[0], said.Split(' ')[^1]);
        return kind switch
        {
            "every" => amsterdam with { Kind = TimingKind.Every, Minutes = int.Parse(of, CultureInfo.InvariantCulture) },
            "hourly" => amsterdam with { Kind = TimingKind.Hourly, At = Clock(of) },
            "daily" => amsterdam with { Kind = TimingKind.Daily, At = Clock(of) },
            "weekly" => amsterdam with { Kind = TimingKind.Weekly, At = Clock(of), Days = [DayOfWeek.Thursday, DayOfWeek.Monday] },
            "monthly" => amsterdam with { Kind = TimingKind.Monthly, At = Clock(of), DayOfMonth = MirrorTiming.LastDay },
            "yearly" => amsterdam with { Kind = TimingKind.Yearly, At = Clock(of), DayOfMonth = 31, Month = 1 },
            _ => amsterdam with { Kind = TimingKind.Calendar, Calendar = said },
        };

        static TimeOnly Clock(string text) => TimeOnly.Parse(text, CultureInfo.InvariantCulture);
    }
}
