using Microsoft.AspNetCore.DataProtection;
using Npgsql;
using UprightMirror.Engine;
using UprightMirror.Storage;

namespace UprightMirror.Cli;

/// <summary>The installation that a command works on, from the environment: its database and its keys.</summary>
internal sealed class Installation : IAsyncDisposable
{
    private readonly SocketsHttpHandler handler = new() { AllowAutoRedirect = false };

    public Installation()
    {
        this.Database = NpgsqlDataSource.Create(DatabaseAddress);
        var protection = DataProtectionProvider.Create(
            new DirectoryInfo(Environment.GetEnvironmentVariable("UPRIGHT_KEYS") ?? throw new CommandException("UPRIGHT_KEYS does not say where the keys are kept that encrypt secrets.")),
            options => options.SetApplicationName("UprightMirror"));
        this.Mirrors = new Mirrors(this.Database);
        this.Connections = new KeptConnections(this.Database, protection);
        this.Users = new Users(this.Database);
        this.Runner = new MirrorRunner(new RunSessions(this.Database, new RunBook(this.Database, TimeProvider.System), TimeProvider.System), new Systems(this.Connections, this.handler, TimeProvider.System), TimeProvider.System);
    }

    public static string DatabaseAddress => Environment.GetEnvironmentVariable("UPRIGHT_DATABASE")
        ?? throw new CommandException("UPRIGHT_DATABASE does not say where the database is. Begin with ./start, or set it to a connection string.");

    public NpgsqlDataSource Database { get; }

    public Mirrors Mirrors { get; }

    public KeptConnections Connections { get; }

    public Users Users { get; }

    public MirrorRunner Runner { get; }

    public async ValueTask DisposeAsync()
    {
        await this.Database.DisposeAsync();
        this.handler.Dispose();
    }
}
