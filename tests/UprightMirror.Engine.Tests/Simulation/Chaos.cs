using UprightMirror.Core.Values;

namespace UprightMirror.Engine.Tests.Simulation;

/// <summary>
/// A life with everything that goes wrong, made from one seed: edits and runs in any order and more than once, the process ending between any two steps, calls whose answers
/// are lost before or after they took effect, refused rows, edits that become visible late, clocks that disagree and are put back, systems that store things their own way.
/// </summary>
public sealed class Chaos
{
    private readonly Random chance;
    private readonly HashSet<string> putRight = [];

    public Chaos(int seed, Planted planted)
    {
        this.chance = new Random(~seed);
        this.World = new World(seed, lines: true);
        this.World.Store.Planted = planted;
        foreach (var system in this.World.Systems)
        {
            system.LosesAnswers = this.chance.Next(2) == 0 ? 0.15 : 0;
            system.Refuses = this.chance.Next(3) == 0 ? 0.1 : 0;
            system.Shuffles = this.chance.Next(2) == 0;
            system.HasReferences = this.chance.Next(3) > 0;
            system.TellsItsClockTo = this.chance.Next(4) > 0 ? this.World.Clock : null;
        }
    }

    public World World { get; }

    /// <summary>Some weeks.</summary>
    public async Task Live(int steps)
    {
        var furthest = new Dictionary<Guid, int>();
        this.World.AddRecords();
        for (var step = 0; step < steps; step++)
        {
            switch (this.chance.Next(14))
            {
                case 0:
                    this.World.AddRecords();
                    break;
                case <= 4:
                    this.World.EditSomething();
                    break;
                case 5:
                    await this.EditInAnOpenTransaction();
                    break;
                case 6:
                    this.EditWhileAWriteIsUnderWay();
                    break;
                case 7:
                    this.PutAClockRight();
                    break;
                case <= 11:
                    await this.Run();
                    Laws.NothingInvented(this.World);
                    this.NeverBack(furthest);
                    break;
                default:
                    await this.World.DecideSomeConflicts(false);
                    break;
            }
        }
    }

    /// <summary>Everything is well again; what is left over is worked off, and every conflict decided.</summary>
    public async Task Settle()
    {
        foreach (var system in this.World.Systems)
        {
            (system.LosesAnswers, system.Refuses, system.BeforeWrite) = (0, 0, null);
        }

        for (var i = 0; i < 3; i++)
        {
            // What was refused is released by hand.
            await this.World.Run();
            this.World.Store.LookAtEverythingAgain();
        }

        Laws.NothingInvented(this.World);
        await this.World.Settle();
    }

    /// <summary>A run, asked for once or twice, whose process may end anywhere.</summary>
    private async Task Run()
    {
        for (var asked = this.chance.Next(4) == 0 ? 2 : 1; asked > 0; asked--)
        {
            this.World.Store.SavesUntilEnd = this.chance.Next(3) == 0 ? this.chance.Next(40) : -1;
            try
            {
                await this.World.Run();
                this.putRight.Clear();
            }
            catch (ProcessEnded)
            {
            }

            this.World.Store.SavesUntilEnd = -1;
        }
    }

    /// <summary>
    /// A clock is put forward, or back. One that is put back where nobody is told of it hides edits from anyone, as does one that goes wrong and right again between two
    /// readings: that is not asked for.
    /// </summary>
    private void PutAClockRight()
    {
        var system = this.World.Systems[this.chance.Next(this.World.Systems.Length)];
        if (!this.putRight.Add(system.Name))
        {
            return;
        }

        system.Tick(TimeSpan.FromMinutes(this.chance.Next(system.TellsItsClockTo is null ? 0 : -90, 90)));
    }

    private async Task EditInAnOpenTransaction()
    {
        var side = this.chance.Next(this.World.Systems.Length);
        this.World.EditSomething(side, unseen: true);
        this.World.EditSomething(side, soon: true);
        await this.World.Run(atOnce: true);
    }

    private void EditWhileAWriteIsUnderWay()
    {
        var system = this.World.Systems[this.chance.Next(this.World.Systems.Length)];
        system.BeforeWrite = id =>
        {
            system.BeforeWrite = null;
            this.World.EditSomething(this.World.Systems.IndexOf(system), id);
        };
    }

    /// <summary>L9: what settles furthest along never moves back.</summary>
    private void NeverBack(Dictionary<Guid, int> furthest)
    {
        foreach (var record in this.World.Store.AllLinked.Where(r => r.Agreed.ContainsKey("State")))
        {
            var position = World.States.IndexOf(record.Agreed["State"].Value.Display);
            position.ShouldBeGreaterThanOrEqualTo(furthest.GetValueOrDefault(record.Link, -1), "L9: a state moved back");
            furthest[record.Link] = position;
        }
    }
}
