using System.Net;
using System.Net.Sockets;

namespace UprightMirror.Connectors.Calling;

/// <summary>
/// Which addresses a connection may lead to. An administrator types the address of a system, and a system may name further ones:
/// none of them may lead into the network that the product itself stands in without a yes.
/// </summary>
public static class AddressRules
{
    /// <summary>Why an address may not be called; null when it may.</summary>
    /// <param name="allowPrivate">Whether an administrator said that this connection may lead into a private network.</param>
    public static string? Refusal(IPAddress address, bool allowPrivate)
    {
        var plain = address.IsIPv4MappedToIPv6 ? address.MapToIPv4() : address;
        return NeverCalled(plain) ? $"{plain} is an address of the network itself (link-local, metadata or nobody's), and is never called. Give the system's own address."
            : !allowPrivate && IsPrivate(plain) ? $"{plain} is in a private network or on this machine. If the system really is there, say so in its connection: \"may be in a private network\"."
            : null;
    }

    /// <summary>Whether an address can only be reached from inside a network.</summary>
    public static bool IsPrivate(IPAddress address)
    {
        if (address.AddressFamily == AddressFamily.InterNetworkV6)
        {
            return IPAddress.IsLoopback(address) || address.IsIPv6UniqueLocal || address.IsIPv6SiteLocal;
        }

        var b = address.GetAddressBytes();
        return b[0] is 10 or 127 || (b[0] == 172 && b[1] is >= 16 and <= 31) || (b[0] == 192 && b[1] == 168) || (b[0] == 100 && b[1] is >= 64 and <= 127) || (b[0] == 198 && b[1] is 18 or 19);
    }

    private static bool NeverCalled(IPAddress address)
    {
        if (address.AddressFamily == AddressFamily.InterNetworkV6)
        {
            // fd00:ec2::254 is where one large host of machines tells them their credentials.
            return address.IsIPv6LinkLocal || address.IsIPv6Multicast || address.Equals(IPAddress.IPv6Any) || address.Equals(IPAddress.Parse("fd00:ec2::254"));
        }

        var b = address.GetAddressBytes();
        return b[0] == 0 || (b[0] == 169 && b[1] == 254) || b[0] >= 224 || address.Equals(IPAddress.Parse("100.100.100.200"));
    }
}

/// <summary>An address that may not be called.</summary>
public sealed class AddressRefused(string why) : IOException(why);
