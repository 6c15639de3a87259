using System.Net;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Connectors.Calling;

/// <summary>One write over HTTP: created with POST, changed with PATCH under If-Match, removed with DELETE. The same for every protocol here.</summary>
/// <param name="PatchType">The media type of a change.</param>
/// <param name="Read">Reads a record out of an answer's body and ETag.</param>
/// <param name="ReadBack">Reads the record again, where the answer says nothing of what was stored.</param>
internal sealed record RecordWrite(
    Caller Caller,
    string SystemName,
    string Collection,
    CollectionSettings Settings,
    WriteRequest Request,
    string PatchType,
    Func<JsonElement, string?, ObservedRecord> Read,
    Func<string, Task<ObservedRecord?>> ReadBack)
{
    internal static readonly JsonSerializerOptions Readable = new() { WriteIndented = true, Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    /// <summary>Sends the write and tells its answers apart.</summary>
    /// <param name="address">Where the record, or for a creation its collection, is written.</param>
    public async Task<WriteAnswer> Send(Func<Task<Uri>> address, CancellationToken cancellation)
    {
        var what = $"the change of {this.Collection} {this.Request.Id ?? "(new)"}";
        Answered answer;
        try
        {
            var to = await address();
            answer = await this.Caller.Write(() => this.Message(to), what, cancellation);
        }
        catch (SystemFault e)
        {
            return new WriteAnswer.NotReached(e.Message);
        }
        catch (AnswerLost e)
        {
            return new WriteAnswer.Unknown(e.Message);
        }

        return answer.Status switch
        {
            HttpStatusCode.PreconditionFailed => new WriteAnswer.Moved(),
            HttpStatusCode.NotFound or HttpStatusCode.Gone => new WriteAnswer.Gone(),
            HttpStatusCode.Unauthorized or HttpStatusCode.TooManyRequests or HttpStatusCode.ServiceUnavailable => new WriteAnswer.NotReached(this.Caller.Fault(this.Caller.Wrong(answer, what)!).Message),
            >= (HttpStatusCode)500 => new WriteAnswer.Unknown(this.Caller.Fault(this.Caller.Wrong(answer, what)!).Message),
            >= (HttpStatusCode)400 => new WriteAnswer.Refused(AnswerText.Of(answer.Body)),
            >= (HttpStatusCode)300 => new WriteAnswer.NotReached(this.Caller.Fault(this.Caller.Wrong(answer, what)!).Message),
            _ when this.Request.Remove => new WriteAnswer.Stored(null),
            _ => await this.Stored(answer),
        };
    }

    /// <summary>What would be sent.</summary>
    public async Task<RequestShown> Show(Func<Task<Uri>> address)
    {
        using var message = this.Message(await address());
        var headers = message.Headers.Concat<KeyValuePair<string, IEnumerable<string>>>(message.Content?.Headers ?? Enumerable.Empty<KeyValuePair<string, IEnumerable<string>>>());
        return new RequestShown($"{message.Method} {message.RequestUri}", [.. headers.Select(h => (h.Key, string.Join(", ", h.Value)))], this.Request.Remove ? null : this.Fields().ToNestedJson().ToJsonString(Readable));
    }

    private HttpRequestMessage Message(Uri address)
    {
        var isNew = this.Request.Id is null;
        var message = new HttpRequestMessage(this.Request.Remove ? HttpMethod.Delete : isNew ? HttpMethod.Post : HttpMethod.Patch, address);
        if (!this.Request.Remove)
        {
            message.Content = new StringContent(this.Fields().ToNestedJson().ToJsonString(), Encoding.UTF8, isNew ? "application/json" : this.PatchType);
        }

        message.Headers.Add("Prefer", "return=representation");
        message.Headers.Accept.Add(new MediaTypeWithQualityHeaderValue("application/json"));
        if (this.Request.VersionTag is { } tag && EntityTagHeaderValue.TryParse(tag, out var etag))
        {
            message.Headers.IfMatch.Add(etag);
        }

        return message;
    }

    /// <summary>What is sent; our reference with it, on creation, where the system has a field for it. A mapped value is never written over by it.</summary>
    private RawFields Fields() => this.Request is { Id: null, Reference: { } reference } && this.Settings.Reference is { } field && this.Request.Fields[field].IsEmpty
        ? this.Request.Fields.With(field, Value.Text(reference))
        : this.Request.Fields;

    /// <summary>It took effect: whatever goes wrong from here on, it must not be sent again.</summary>
    private async Task<WriteAnswer> Stored(Answered answer)
    {
        try
        {
            using var document = JsonDocument.Parse(answer.Body);
            var stored = this.Read(document.RootElement, answer.ETag);

            // An answer may leave out the lines that it took: they are asked for.
            return new WriteAnswer.Stored(this.Settings.Expand is { Count: > 0 } lines && !lines.All(stored.Fields.Has) ? await this.ReadBack(stored.Id) ?? stored : stored);
        }
        catch (Exception e) when (e is JsonException or SystemFault)
        {
            // It says nothing of what it stored: read it back.
        }

        try
        {
            return this.Request.Id is { } id && await this.ReadBack(id) is { } back
                ? new WriteAnswer.Stored(back)
                : new WriteAnswer.Unknown($"{this.SystemName} took the change and did not say what it stored.");
        }
        catch (SystemFault e)
        {
            return new WriteAnswer.Unknown(e.Message);
        }
    }
}
