using System.Net;
using System.Net.Sockets;

namespace Kumiko.Demo;

/// <summary>Ports that a demonstration would like to have, and can do without.</summary>
internal static class FreePort
{
    /// <summary>The port where it is free on loopback; 0, for any other, where it is not.</summary>
    public static int Or(int port)
    {
        try
        {
            using var tried = new TcpListener(IPAddress.Loopback, port);
            tried.Start();
            return port;
        }
        catch (SocketException)
        {
            return 0;
        }
    }
}
