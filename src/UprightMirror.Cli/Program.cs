using UprightMirror.Cli;

try
{
    return args switch
    {
        ["reconcile", var path] => ReconcileCommand.Execute(path),
        ["run", var mirror] => await RunCommand.Execute(mirror, rehearse: false),
        ["rehearse", var mirror] => await RunCommand.Execute(mirror, rehearse: true),
        ["systems"] => await SystemsCommand.List(),
        ["test-connection", var system] => await SystemsCommand.Test(system),
        ["catalogue", var system] => await SystemsCommand.Catalogue(system, refresh: false),
        ["catalogue", var system, "--refresh"] => await SystemsCommand.Catalogue(system, refresh: true),
        ["migrate"] => InstallCommands.Migrate(),
        ["load-demo", var address] => await InstallCommands.LoadDemo(new Uri(address), null),
        ["load-demo", var address, "--every", var minutes] when int.TryParse(minutes, out var every) => await InstallCommands.LoadDemo(new Uri(address), every),
        _ => Usage(),
    };
}
catch (CommandException e)
{
    Console.Error.WriteLine(e.Message);
    return 2;
}

static int Usage()
{
    Console.Error.WriteLine("""
        upright reconcile SCENARIO.json   prints what becomes of one record, as JSON ("-" reads standard input)
        upright run MIRROR                runs a mirror now and prints the counts
        upright rehearse MIRROR           says what a run would do, and writes nothing
        upright systems                   lists the systems, how they are reached and how they answer
        upright test-connection NAME      tests a connection step by step
        upright catalogue NAME [--refresh]
                                          prints a system's collections and fields; reads them anew when asked to
        upright migrate                   makes the database, or brings it up to date
        upright load-demo ADDRESS [--every MINUTES]
                                          loads the demo's connections, mirror and people; ADDRESS is where the demo world answers
        """);
    return 2;
}
