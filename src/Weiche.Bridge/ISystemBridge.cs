namespace Weiche.Bridge;

/// <summary>The way to one system. One thread calls it.</summary>
internal interface ISystemBridge : IDisposable
{
    /// <summary>Makes a port of Weiche's own, instead of the one of that number.</summary>
    /// <param name="id">Its number.</param>
    /// <param name="hears">Whether Weiche hears on it.</param>
    /// <param name="name">Its name.</param>
    void Open(int id, bool hears, string name);

    /// <summary>Gives a port another name; one that is not there is left alone.</summary>
    /// <param name="id">Its number.</param>
    /// <param name="name">Its name.</param>
    void Rename(int id, string name);

    /// <summary>Takes a port away; one that is not there is left alone.</summary>
    /// <param name="id">Its number.</param>
    void Close(int id);

    /// <summary>Connects two ports of the system, or takes that off.</summary>
    /// <param name="from">The address that messages come from.</param>
    /// <param name="to">The address that they go to.</param>
    /// <param name="on">Whether they are to be connected.</param>
    void Connect(string from, string to, bool on);

    /// <summary>Tells all there is, whether it was told or not.</summary>
    void TellAgain();

    /// <summary>Looks whether anything has changed since the last time, and tells it. Tries to get to the system if it is not
    /// there.</summary>
    void Look();
}
