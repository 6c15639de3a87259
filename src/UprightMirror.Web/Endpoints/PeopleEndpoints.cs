using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Identity;
using UprightMirror.Connectors.Notices;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="IsYou">True for who asks.</param>
public sealed record PersonShown(long Id, string Email, string Name, string Role, bool IsOff, bool MustChange, bool IsYou, IReadOnlyList<SessionOfPerson> Sessions);

/// <param name="IsThis">True for the one that asks.</param>
public sealed record SessionOfPerson(Guid Id, DateTimeOffset BeganAt, DateTimeOffset SeenAt, string Agent, bool IsThis);

/// <param name="Role">administrator, steward or reader.</param>
public sealed record PersonAsked(string Email, string Name, string Role, bool IsOff);

/// <param name="Password">To be given to the person; shown this once. They are asked for their own at once.</param>
public sealed record FirstPassword(string Password);

public sealed record SettingChangeShown(long Id, DateTimeOffset At, string Who, string What, string? Sent);

/// <param name="Before">Where older ones go on; null at the end.</param>
public sealed record SettingChangePage(IReadOnlyList<SettingChangeShown> Changes, long? Before);

/// <param name="Words">A field whose name has one of these in it is personal: readers see only its first letter.</param>
public sealed record PersonalShown(IReadOnlyList<string> Words);

/// <summary>Who may sign in, where they are signed in, and what was changed by whom.</summary>
internal static class PeopleEndpoints
{
    private const int Shown = 100;

    public static void MapPeople(this RouteGroupBuilder api)
    {
        api.MapGet("/people", async (Users users, HttpContext http, CancellationToken cancellation) => People(await users.People(cancellation), http)).RequireAuthorization(Roles.Administrator).WithName("getPeople");
        api.MapPost("/people", Add).RequireAuthorization(Roles.Administrator).Audited("added a person").WithName("addPerson");
        api.MapPut("/people/{id:long}", Change).RequireAuthorization(Roles.Administrator).Audited("changed the person {id}").WithName("changePerson");
        api.MapPost("/people/{id:long}/password", Reset).RequireAuthorization(Roles.Administrator).Audited("gave the person {id} a new first password").WithName("resetPassword");
        api.MapDelete("/people/{id:long}/sessions/{session:guid}", async Task<Results<NoContent, NotFound>> (long id, Guid session, Users users, Sessions sessions, CancellationToken cancellation) =>
        {
            var ended = await users.End(session, id, cancellation);
            sessions.Forget();
            return ended ? TypedResults.NoContent() : TypedResults.NotFound();
        }).RequireAuthorization(Roles.Administrator).Audited("signed the person {id} out").WithName("endSession");
        api.MapGet("/personal", async (PersonalWords words, CancellationToken cancellation) => new PersonalShown(await words.All(cancellation))).RequireAuthorization(Roles.Administrator).WithName("getPersonal");
        api.MapPut("/personal", SetPersonal).RequireAuthorization(Roles.Administrator).Audited("changed what readers do not see").WithName("setPersonal");
        api.MapGet("/setting-changes", async (string? text, long? before, SettingChanges changes, CancellationToken cancellation) =>
        {
            var found = await changes.List(text is { Length: > 0 and <= 200 } ? text : null, before, Shown, cancellation);
            return new SettingChangePage([.. found.Select(c => new SettingChangeShown(c.Id, c.At, c.Who, c.What, c.Sent))], found.Count == Shown ? found[^1].Id : null);
        }).RequireAuthorization(Roles.Administrator).WithName("getSettingChanges");
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> SetPersonal(PersonalShown asked, PersonalWords words, CancellationToken cancellation)
    {
        var kept = asked.Words.Select(w => w.Trim()).Where(w => w.Any(char.IsLetterOrDigit)).Distinct(StringComparer.OrdinalIgnoreCase).ToList();
        if (kept.Count > PersonalNames.MostWords || kept.Any(w => w.Length > PersonalNames.LongestWord))
        {
            return SystemsEndpoints.Problem($"Give at most {PersonalNames.MostWords} words, of at most {PersonalNames.LongestWord} characters each.");
        }

        await words.Save(kept, cancellation);
        return TypedResults.NoContent();
    }

    private static List<PersonShown> People(IReadOnlyList<PersonView> people, HttpContext http)
    {
        var (me, session) = (http.User.FindFirstValue(ClaimTypes.NameIdentifier), Sessions.Of(http.User));
        return [.. people.Select(p => new PersonShown(p.Id, p.Email, p.Name, p.Role, p.IsOff, p.MustChange, p.Email == me, [.. p.Sessions.Select(s => new SessionOfPerson(s.Id, s.BeganAt, s.SeenAt, s.Agent, s.Id == session))]))];
    }

    private static string? Wrong(PersonAsked asked) => asked switch
    {
        { Name: var name } when string.IsNullOrWhiteSpace(name) || name.Length > 80 => "Give a name of at most 80 characters.",
        { Email: var email } when !Mail.IsAddress(email.Trim()) => "Give the address of mail that they sign in with.",
        { Role: not ("administrator" or "steward" or "reader") } => "Choose what they may do: administrator, steward or reader.",
        _ => null,
    };

    private static async Task<Results<Ok<FirstPassword>, ProblemHttpResult>> Add(PersonAsked asked, Users users, IPasswordHasher<string> hasher, CancellationToken cancellation)
    {
        var email = asked.Email.Trim();
        if (Wrong(asked) is { } wrong)
        {
            return SystemsEndpoints.Problem(wrong);
        }

        if (await users.Find(email, cancellation) is { } there)
        {
            return SystemsEndpoints.Problem($"{there.Name} signs in with {email} already.");
        }

        var password = Passwords.Made();
        await users.Add(email, asked.Name.Trim(), asked.Role, hasher.HashPassword(email, password), cancellation, mustChange: true);
        return TypedResults.Ok(new FirstPassword(password));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Change(long id, PersonAsked asked, Users users, Sessions sessions, CancellationToken cancellation)
    {
        if (Wrong(asked) is { } wrong)
        {
            return SystemsEndpoints.Problem(wrong);
        }

        var end = await users.Change(id, asked.Email.Trim(), asked.Name.Trim(), asked.Role, asked.IsOff, cancellation);
        sessions.Forget();
        return end switch
        {
            PersonEnd.Unknown => TypedResults.NotFound(),
            PersonEnd.EmailTaken => SystemsEndpoints.Problem($"Somebody else signs in with {asked.Email.Trim()}."),
            PersonEnd.LastAdministrator => SystemsEndpoints.Problem("That is the last administrator who may sign in. Make somebody else one first."),
            _ => TypedResults.NoContent(),
        };
    }

    private static async Task<Results<Ok<FirstPassword>, NotFound>> Reset(long id, Users users, Sessions sessions, IPasswordHasher<string> hasher, CancellationToken cancellation)
    {
        if ((await users.People(cancellation)).FirstOrDefault(p => p.Id == id) is not { } person)
        {
            return TypedResults.NotFound();
        }

        var password = Passwords.Made();
        await users.SetPassword(id, hasher.HashPassword(person.Email, password), mustChange: true, null, cancellation);
        sessions.Forget();
        return TypedResults.Ok(new FirstPassword(password));
    }
}
