namespace UprightMirror.Core.Mapping.Suggesting;

/// <summary>The best way to give each row at most one column: the assignment problem, by shortest augmenting paths (Jonker and Volgenant 1987).</summary>
public static class Assignment
{
    /// <param name="worth">How much each pair is worth, by row and column; 0 or less for a pair that is not to be made.</param>
    /// <returns>The column of each row; -1 for none.</returns>
    public static int[] Best(double[,] worth)
    {
        var (rows, columns) = (worth.GetLength(0), worth.GetLength(1));
        if (rows > columns)
        {
            // The search goes row by row, and wants no more rows than columns.
            var turned = new double[columns, rows];
            for (var r = 0; r < rows; r++)
            {
                for (var c = 0; c < columns; c++)
                {
                    turned[c, r] = worth[r, c];
                }
            }

            var of = Best(turned);
            var result = Enumerable.Repeat(-1, rows).ToArray();
            for (var c = 0; c < columns; c++)
            {
                if (of[c] >= 0)
                {
                    result[of[c]] = c;
                }
            }

            return result;
        }

        var (u, v) = (new double[rows + 1], new double[columns + 1]);
        var (rowOf, way) = (new int[columns + 1], new int[columns + 1]);
        for (var row = 1; row <= rows; row++)
        {
            rowOf[0] = row;
            var column = 0;
            var least = Enumerable.Repeat(double.PositiveInfinity, columns + 1).ToArray();
            var used = new bool[columns + 1];
            do
            {
                used[column] = true;
                var (from, delta, next) = (rowOf[column], double.PositiveInfinity, 0);
                for (var c = 1; c <= columns; c++)
                {
                    if (used[c])
                    {
                        continue;
                    }

                    var cost = -Math.Max(0, worth[from - 1, c - 1]) - u[from] - v[c];
                    if (cost < least[c])
                    {
                        (least[c], way[c]) = (cost, column);
                    }

                    if (least[c] < delta)
                    {
                        (delta, next) = (least[c], c);
                    }
                }

                for (var c = 0; c <= columns; c++)
                {
                    if (used[c])
                    {
                        u[rowOf[c]] += delta;
                        v[c] -= delta;
                    }
                    else
                    {
                        least[c] -= delta;
                    }
                }

                column = next;
            }
            while (rowOf[column] != 0);
            for (; column != 0; column = way[column])
            {
                rowOf[column] = rowOf[way[column]];
            }
        }

        var found = Enumerable.Repeat(-1, rows).ToArray();
        for (var c = 1; c <= columns; c++)
        {
            if (rowOf[c] > 0 && worth[rowOf[c] - 1, c - 1] > 0)
            {
                found[rowOf[c] - 1] = c - 1;
            }
        }

        return found;
    }
}
