using UprightMirror.Cli;

try
{
    return args switch
    {
        ["reconcile", var path] => ReconcileCommand.Execute(path),
        ["formula", "--reference"] => FormulaCommand.Reference(),
        ["formula", var formula] => FormulaCommand.Execute(formula, null),
        ["formula", var formula, "--record", var record] => FormulaCommand.Execute(formula, record),
        ["formula", "--record", var record, var formula] => FormulaCommand.Execute(formula, record),
        ["learn", "--examples", var examples] => LearnCommand.Execute(examples, null, null),
        ["learn", "--examples", var examples, "--apply", var from, "--out", var to] => LearnCommand.Execute(examples, from, to),
        ["suggest", "--left", var left, "--right", var right, "--out", var to] => SuggestCommand.Execute(left, right, to),
        ["match", .. var rest] when rest.Length > 0 => MatchCommand.Execute(rest),
        ["run", var mirror] => await RunCommand.Execute(mirror, rehearse: false),
        ["run", var mirror, "--sweep"] => await RunCommand.Execute(mirror, rehearse: false, sweep: true),
        ["run", var mirror, "--unguarded"] => await RunCommand.Execute(mirror, rehearse: false, unguarded: true),
        ["rehearse", var mirror, "--sweep"] => await RunCommand.Execute(mirror, rehearse: true, sweep: true),
        ["rehearse", var mirror] => await RunCommand.Execute(mirror, rehearse: true),
        ["verify", .. var mirrors] => await VerifyCommand.Execute(mirrors),
        ["export", "--schema"] => ExchangeCommand.Schema(),
        ["export", .. var mirrors] => await ExchangeCommand.Export(mirrors),
        ["import", var path, .. var rest] when rest.Length % 2 == 0 && rest.Where((_, i) => i % 2 == 0).All(o => o == "--as") => await ExchangeCommand.Import(path, [.. rest.Where((_, i) => i % 2 == 1)]),
        ["systems"] => await SystemsCommand.List(),
        ["test-connection", var system] => await SystemsCommand.Test(system),
        ["catalogue", var system] => await SystemsCommand.Catalogue(system, refresh: false),
        ["catalogue", var system, "--refresh"] => await SystemsCommand.Catalogue(system, refresh: true),
        ["migrate"] => InstallCommands.Migrate(),
        ["load-demo", var address, .. var rest] => await LoadDemo(new Uri(address), rest),
        _ => Usage(),
    };
}
catch (CommandException e)
{
    Console.Error.WriteLine(e.Message);
    return 2;
}

static async Task<int> LoadDemo(Uri address, string[] options)
{
    int? every = null;
    string? folder = null;
    Uri? events = null;
    var empty = false;
    (int Port, Uri Site)? mail = null;
    for (var i = 0; i < options.Length; i++)
    {
        switch (options[i])
        {
            case "--every" when i + 1 < options.Length && int.TryParse(options[i + 1], out var minutes):
                every = minutes;
                i++;
                break;
            case "--folder" when i + 1 < options.Length:
                folder = options[++i];
                break;
            case "--events" when i + 1 < options.Length && Uri.TryCreate(options[i + 1], UriKind.Absolute, out var product):
                events = product;
                i++;
                break;
            case "--mail" when i + 2 < options.Length && int.TryParse(options[i + 1], out var port) && Uri.TryCreate(options[i + 2], UriKind.Absolute, out var site):
                mail = (port, site);
                i += 2;
                break;
            case "--empty":
                empty = true;
                break;
            default:
                return Usage();
        }
    }

    return await InstallCommands.LoadDemo(address, every, folder, empty, events, mail);
}

static int Usage()
{
    Console.Error.WriteLine("""
        upright reconcile SCENARIO.json   prints what becomes of one record, as JSON ("-" reads standard input)
        upright formula EXPR [--record RECORD.json]
                                          works a formula out over a record and prints its value as JSON
        upright formula --reference       prints the page of all functions
        upright learn --examples EXAMPLES.csv [--apply IN.csv --out OUT.csv]
                                          finds the formula that does what the examples show (their last column is called
                                          output), prints it, and works it out over the rows of IN.csv
        upright suggest --left L.csv --right R.csv --out S.csv
                                          pairs the fields of two files (headers and samples, or JSON Schema) that may hold the
                                          same, each with a confidence
        upright match --left A.csv --right B.csv --out LINKS.csv, or --within A.csv --out PAIRS.csv
                  [--fields COLUMN:KIND,…] [--explain] [--truth T.csv]
                                          finds the rows that are the same thing, with how likely that is; the first column is
                                          id, what the others hold is found out or said
        upright run MIRROR                runs a mirror now and prints the counts
        upright run MIRROR --sweep        looks every side through for removed records, too
        upright run MIRROR --unguarded    goes on whatever its guards would ask about; a rehearsal says what that is
        upright rehearse MIRROR           says what a run would do, and writes nothing
        upright verify [MIRROR …]         reads every side whole, compares it with what is agreed, and lists every difference with
                                          its reason; ends with 1 where one is unexplained
        upright export [MIRROR …]         prints mirrors, with the code lists that they use, as a file (YAML); --schema prints what such
                                          a file may say, as JSON Schema
        upright import FILE [--as SYSTEM=CONNECTION …]
                                          says which connections the systems of the file look like; told which they are, brings
                                          its mirrors in as drafts
        upright systems                   lists the systems, how they are reached and how they answer
        upright test-connection NAME      tests a connection step by step
        upright catalogue NAME [--refresh]
                                          prints a system's collections and fields; reads them anew when asked to
        upright migrate                   makes the database, or brings it up to date
        upright load-demo ADDRESS [--every MINUTES] [--folder PATH] [--empty] [--events PRODUCT] [--mail PORT PRODUCT]
                                          loads the demo's connections, mirror and people; ADDRESS is where the demo world answers,
                                          PATH where its order files arrive; --empty loads the people only;
                                          --events has the demo's systems send their events to the product at PRODUCT; --mail has the product
                                          hand its mail over at PORT of this machine
        """);
    return 2;
}
