using System.Net;

namespace UprightMirror.Connectors.Calling;

/// <summary>What the answer to a write means, the same for every protocol over HTTP.</summary>
internal static class WriteAnswers
{
    /// <summary>Sends a write and reads its answer.</summary>
    /// <param name="stored">Reads what the system stored, out of a success.</param>
    public static async Task<WriteAnswer> Send(Caller caller, Func<HttpRequestMessage> request, string what, Func<Answered, Task<WriteAnswer>> stored, CancellationToken cancellation)
    {
        try
        {
            var answer = await caller.Write(request, what, cancellation);
            return answer.Status switch
            {
                HttpStatusCode.PreconditionFailed => new WriteAnswer.Moved(),
                HttpStatusCode.NotFound or HttpStatusCode.Gone => new WriteAnswer.Gone(),
                HttpStatusCode.Unauthorized or HttpStatusCode.TooManyRequests or HttpStatusCode.ServiceUnavailable => new WriteAnswer.NotReached(caller.Fault(caller.Wrong(answer, what)!).Message),
                >= (HttpStatusCode)500 => new WriteAnswer.Unknown(caller.Fault(caller.Wrong(answer, what)!).Message),
                >= (HttpStatusCode)400 => new WriteAnswer.Refused(AnswerText.Of(answer.Body)),
                >= (HttpStatusCode)300 => new WriteAnswer.NotReached(caller.Fault(caller.Wrong(answer, what)!).Message),
                _ => await stored(answer),
            };
        }
        catch (SystemFault e)
        {
            return new WriteAnswer.NotReached(e.Message);
        }
        catch (AnswerLost e)
        {
            return new WriteAnswer.Unknown(e.Message);
        }
    }
}
