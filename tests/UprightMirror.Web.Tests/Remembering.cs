using Microsoft.Extensions.DependencyInjection;
using Npgsql;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Web.Tests;

/// <summary>What a test has the product remember, as if runs had found it.</summary>
internal static class Remembering
{
    public static async Task Do(this Product product, string sql, params (string Name, object Value)[] values)
    {
        await using var command = product.Factory.Services.GetRequiredService<NpgsqlDataSource>().CreateCommand(sql);
        foreach (var (name, value) in values)
        {
            command.Parameters.AddWithValue(name, value);
        }

        await command.ExecuteNonQueryAsync();
    }

    /// <returns>The mirror's number.</returns>
    public static async Task<int> Save(this Product product, MirrorDefinition mirror)
    {
        var mirrors = product.Factory.Services.GetRequiredService<Mirrors>();
        await mirrors.Save(mirror, "a test", CancellationToken.None);
        return (await mirrors.Find(mirror.Key, CancellationToken.None))!.Id;
    }

    /// <summary>A side holds a record, as it stands in this moment.</summary>
    /// <param name="link">Null for one that is linked with nothing.</param>
    public static Task Hold(this Product product, int mirror, int side, string id, Guid? link, params (string Path, string Text)[] fields) => product.Do(
        "insert into system_record (mirror_id, side, id, link_id, raw, seen_at) values (@mirror, @side, @id, @link, @raw::jsonb, now()) on conflict (mirror_id, side, id) do update set raw = excluded.raw",
        ("mirror", mirror), ("side", side), ("id", id), ("link", link is { } to ? to : DBNull.Value), ("raw", StoredForms.Write(RawFields.Of(fields.Select(f => KeyValuePair.Create(f.Path, Value.Text(f.Text)))))));
}
