using Npgsql;

namespace UprightMirror.Storage;

/// <summary>The words by which fields are known whose values are masked for readers.</summary>
public sealed class PersonalWords(NpgsqlDataSource database)
{
    public async Task<IReadOnlyList<string>> All(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select personal_words from site");
        return (string[])(await command.ExecuteScalarAsync(cancellation))!;
    }

    public async Task Save(IReadOnlyCollection<string> words, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update site set personal_words = @words");
        command.Parameters.AddWithValue("words", words.ToArray());
        await command.ExecuteNonQueryAsync(cancellation);
    }
}
