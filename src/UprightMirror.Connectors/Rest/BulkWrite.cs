using System.Globalization;
using System.Net;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Connectors.Rest;

/// <summary>
/// Many records in one call that creates or changes them, told apart by a key; with a result for every row, so that one bad row costs only itself.
/// A record that is changed this way is read just before: the call itself knows no precondition.
/// </summary>
internal sealed class BulkWrite(
    Caller caller,
    string name,
    string collection,
    CollectionSettings own,
    Func<IReadOnlyList<string>, CancellationToken, Task<IReadOnlyDictionary<string, ObservedRecord>>> readSome,
    Func<JsonElement, ObservedRecord> read)
{
    private readonly BulkSettings bulk = own.Bulk!;

    /// <summary>Whether a write may go this way.</summary>
    public static bool Takes(BulkSettings bulk, WriteRequest request) => !request.Remove && (request.Id is null || bulk.Changes);

    /// <param name="address">Where the rows are sent.</param>
    /// <returns>An answer for each, in their order.</returns>
    public async Task<IReadOnlyList<WriteAnswer>> Send(Uri address, IReadOnlyList<WriteRequest> requests, CancellationToken cancellation)
    {
        var answers = new WriteAnswer?[requests.Count];
        List<(int At, JsonObject Row)> rows;
        try
        {
            rows = await this.Rows(requests, answers, cancellation);
        }
        catch (SystemFault e)
        {
            return [.. requests.Select(_ => new WriteAnswer.NotReached(e.Message))];
        }

        if (rows.Count > 0)
        {
            var of = await this.Answers(address, rows, cancellation);
            for (var i = 0; i < rows.Count; i++)
            {
                answers[rows[i].At] = of[i];
            }
        }

        return [.. answers.Select(a => a!)];
    }

    private async Task<List<(int At, JsonObject Row)>> Rows(IReadOnlyList<WriteRequest> requests, WriteAnswer?[] answers, CancellationToken cancellation)
    {
        var rows = new List<(int, JsonObject)>();
        var fresh = requests.Any(r => r.Id is not null) ? await readSome([.. requests.Select(r => r.Id).OfType<string>()], cancellation) : new Dictionary<string, ObservedRecord>();
        var keys = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        for (var i = 0; i < requests.Count; i++)
        {
            var request = requests[i];
            var body = request is { Id: null, Reference: { } reference } && own.Reference is { } field ? request.Fields.With(field, Value.Text(reference)) : request.Fields;
            if (request.Id is { } id)
            {
                if (!fresh.TryGetValue(id, out var now))
                {
                    answers[i] = new WriteAnswer.Gone();
                    continue;
                }

                if (request.VersionTag is { } tag && now.VersionTag != tag)
                {
                    answers[i] = new WriteAnswer.Moved();
                    continue;
                }

                var (known, wanted) = (now.Fields[this.bulk.Key].Display, body[this.bulk.Key]);
                if (!wanted.IsEmpty && !string.Equals(wanted.Display, known, StringComparison.OrdinalIgnoreCase))
                {
                    answers[i] = new WriteAnswer.Refused($"{this.bulk.Key} is what {name} tells records apart by, so it can't be changed from {ValueJson.Quoted(known)} to {ValueJson.Quoted(wanted.Display)} this way. Change it in {name} itself.");
                    continue;
                }

                body = body.With(this.bulk.Key, now.Fields[this.bulk.Key]);
            }

            var key = body[this.bulk.Key].Display;
            if (key.Length == 0)
            {
                answers[i] = new WriteAnswer.Refused($"{this.bulk.Key} is empty, and {name} tells records apart by it.");
            }
            else if (!keys.Add(key))
            {
                // Two rows of one key would be one record there.
                answers[i] = request.Id is null
                    ? new WriteAnswer.Refused($"Another record that is being written has the {this.bulk.Key} {ValueJson.Quoted(key)} too, and {name} tells records apart by it.")
                    : new WriteAnswer.Moved();
            }
            else
            {
                rows.Add((i, body.ToNestedJson()));
            }
        }

        return rows;
    }

    private async Task<WriteAnswer[]> Answers(Uri address, List<(int At, JsonObject Row)> rows, CancellationToken cancellation)
    {
        var what = $"{rows.Count} {collection}";
        Answered answer;
        try
        {
            var body = new JsonObject { [this.bulk.Items] = new JsonArray([.. rows.Select(r => (JsonNode?)r.Row.DeepClone())]) }.ToJsonString();
            answer = await caller.Write(() => new HttpRequestMessage(HttpMethod.Post, address) { Content = new StringContent(body, Encoding.UTF8, "application/json") }, what, cancellation);
        }
        catch (SystemFault e)
        {
            return All(new WriteAnswer.NotReached(e.Message));
        }
        catch (AnswerLost e)
        {
            return All(new WriteAnswer.Unknown(e.Message));
        }

        switch (answer.Status)
        {
            case HttpStatusCode.Unauthorized or HttpStatusCode.TooManyRequests or HttpStatusCode.ServiceUnavailable or (>= (HttpStatusCode)300 and < (HttpStatusCode)400):
                return All(new WriteAnswer.NotReached(caller.Fault(caller.Wrong(answer, what)!).Message));
            case >= (HttpStatusCode)500:
                return All(new WriteAnswer.Unknown(caller.Fault(caller.Wrong(answer, what)!).Message));
            case >= (HttpStatusCode)400:
                return All(new WriteAnswer.Refused(AnswerText.Of(answer.Body)));
        }

        try
        {
            using var document = JsonDocument.Parse(answer.Body);
            return await this.Results(document.RootElement, rows.Count, cancellation);
        }
        catch (Exception e) when (e is JsonException or SystemFault)
        {
            // The rows may have been taken: each is looked for before it is sent again.
            return All(new WriteAnswer.Unknown($"{name} took {what} and its answer can't be read: {e.Message}"));
        }

        WriteAnswer[] All(WriteAnswer one) => [.. rows.Select(_ => one)];
    }

    private async Task<WriteAnswer[]> Results(JsonElement answer, int count, CancellationToken cancellation)
    {
        if (!answer.TryGetProperty(this.bulk.Results, out var results) || results.ValueKind != JsonValueKind.Array)
        {
            throw new JsonException($"it has no list \"{this.bulk.Results}\"");
        }

        var answers = new WriteAnswer?[count];
        var toRead = new List<(int At, string Id)>();
        foreach (var (result, place) in results.EnumerateArray().Select((r, i) => (r, i)))
        {
            var row = this.bulk.Row is { } numbered && result.TryGetProperty(numbered, out var n) && n.TryGetInt32(out var number) ? number : place;
            if (row < 0 || row >= count)
            {
                continue;
            }

            if (this.IsRefused(result))
            {
                answers[row] = new WriteAnswer.Refused(this.bulk.Message is { } message && Text(result, message) is { Length: > 0 } words ? words : result.GetRawText());
            }
            else if (this.bulk.Record is { } record && result.TryGetProperty(record, out var stored) && stored.ValueKind == JsonValueKind.Object)
            {
                answers[row] = new WriteAnswer.Stored(read(stored));
            }
            else if (Text(result, this.bulk.Id) is { } id)
            {
                toRead.Add((row, id));
            }
        }

        if (toRead.Count > 0)
        {
            var back = await readSome([.. toRead.Select(r => r.Id)], cancellation);
            foreach (var (at, id) in toRead)
            {
                answers[at] = back.TryGetValue(id, out var stored) ? new WriteAnswer.Stored(stored) : null;
            }
        }

        return [.. answers.Select(a => a ?? new WriteAnswer.Unknown($"{name} says nothing of what became of this row."))];
    }

    private bool IsRefused(JsonElement result) =>
        Text(result, this.bulk.Id) is null || (result.TryGetProperty("status", out var status) && status.TryGetInt32(out var code) && code >= 400);

    private static string? Text(JsonElement json, string property) => !json.TryGetProperty(property, out var value) ? null : value.ValueKind switch
    {
        JsonValueKind.String => value.GetString(),
        JsonValueKind.Number => value.GetDecimal().ToString(CultureInfo.InvariantCulture),
        _ => null,
    };
}
