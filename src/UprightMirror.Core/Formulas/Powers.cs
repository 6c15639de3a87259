namespace UprightMirror.Core.Formulas;

/// <summary>Powers and roots of decimal numbers: exact where they can be.</summary>
internal static class Powers
{
    /// <summary><paramref name="number"/> to the power of <paramref name="exponent"/>; whole exponents by multiplication, others to about 15 digits.</summary>
    /// <exception cref="OverflowException">The result has more than 28 digits before its point.</exception>
    public static Item Of(decimal number, decimal exponent)
    {
        if (number == 0)
        {
            return exponent < 0 ? Item.Of(ItemError.DivisionByZero) : Item.Of(exponent == 0 ? 1m : 0m);
        }

        if (exponent == Math.Floor(exponent) && Math.Abs(exponent) <= 10_000)
        {
            var (power, factor) = (1m, number);
            for (var left = (int)Math.Abs(exponent); left > 0; left >>= 1)
            {
                power = (left & 1) == 1 ? power * factor : power;
                factor = left > 1 ? factor * factor : factor;
            }

            return exponent >= 0 ? Item.Of(power) : power == 0 ? Item.Of(ItemError.NotANumber) : Item.Of(1 / power);
        }

        if (number < 0)
        {
            return Item.Of(ItemError.Number("a negative number has no such power"));
        }

        var about = Math.Pow((double)number, (double)exponent);
        return double.IsFinite(about) ? Item.Of((decimal)about) : Item.Of(ItemError.NotANumber);
    }

    /// <summary>The square root, by Newton's method from the floating-point one.</summary>
    public static decimal Root(decimal number)
    {
        if (number == 0)
        {
            return 0;
        }

        var root = (decimal)Math.Sqrt((double)number);
        for (var i = 0; i < 4 && root != 0; i++)
        {
            root = (root + (number / root)) / 2;
        }

        // What is a whole root is shown as one.
        var short_ = Math.Round(root, 20);
        return short_ * short_ == number ? short_ : root;
    }
}
