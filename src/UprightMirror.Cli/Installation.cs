using Microsoft.AspNetCore.DataProtection;
using Npgsql;
using UprightMirror.Connectors;
using UprightMirror.Connectors.Calling;
using UprightMirror.Engine;
using UprightMirror.Storage;

namespace UprightMirror.Cli;

/// <summary>The installation that a command works on, from the environment: its database and its keys.</summary>
internal sealed class Installation : IAsyncDisposable
{
    public Installation()
    {
        this.Database = NpgsqlDataSource.Create(UprightMirror.Storage.Database.Shared(DatabaseAddress));
        var protection = DataProtectionProvider.Create(
            new DirectoryInfo(Environment.GetEnvironmentVariable("UPRIGHT_KEYS") ?? throw new CommandException("UPRIGHT_KEYS does not say where the keys are kept that encrypt secrets.")),
            options => options.SetApplicationName("UprightMirror"));
        this.Mirrors = new Mirrors(this.Database);
        this.Connections = new KeptConnections(this.Database, protection);
        this.Events = new KeptEvents(this.Database, protection);
        this.Inboxes = new Inboxes(this.Database, protection);
        this.Notices = new KeptNotices(this.Database, protection, TimeProvider.System);
        this.Checks = new FollowUpChecks(this.Database);
        this.Users = new Users(this.Database);
        this.Catalogues = new Catalogues(this.Database, TimeProvider.System);
        this.Systems = new Systems(this.Connections, new KeptCalls(this.Database), new Outside(TimeProvider.System, new SharedCallBudget(new CallTurns(this.Database))) { Received = new ReceivedRecords(this.Inboxes) });
        this.Surveying = new Surveying(this.Systems, this.Catalogues, TimeProvider.System);
        this.Runner = new MirrorRunner(new RunSessions(this.Database, new RunBook(this.Database, TimeProvider.System), TimeProvider.System), this.Systems, this.Mirrors, TimeProvider.System);
    }

    public static string DatabaseAddress => Environment.GetEnvironmentVariable("UPRIGHT_DATABASE")
        ?? throw new CommandException("UPRIGHT_DATABASE does not say where the database is. Begin with ./start, or set it to a connection string.");

    public NpgsqlDataSource Database { get; }

    public FollowUpChecks Checks { get; }

    public Mirrors Mirrors { get; }

    public KeptConnections Connections { get; }

    public KeptEvents Events { get; }

    public Inboxes Inboxes { get; }

    public KeptNotices Notices { get; }

    public Users Users { get; }

    public Catalogues Catalogues { get; }

    public Systems Systems { get; }

    public Surveying Surveying { get; }

    public MirrorRunner Runner { get; }

    /// <summary>Opens the installation for a command, and says in words for who typed it what went wrong.</summary>
    public static async Task<int> With(Func<Installation, CancellationToken, Task<int>> work)
    {
        await using var installation = new Installation();
        using var stop = new CancellationTokenSource();
        Console.CancelKeyPress += (_, pressed) =>
        {
            pressed.Cancel = true;
            stop.Cancel();
        };
        try
        {
            return await work(installation, stop.Token);
        }
        catch (SystemFault e)
        {
            throw new CommandException(e.Message);
        }
        catch (NpgsqlException e) when (e is not PostgresException)
        {
            throw new CommandException($"The database can't be reached: {e.Message}. Is ./start running?");
        }
    }

    public ValueTask DisposeAsync() => this.Database.DisposeAsync();
}
