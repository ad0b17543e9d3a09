namespace Weiche.Bridge;

/// <summary>The way to one system. One thread calls it.</summary>
internal interface ISystemBridge : IDisposable
{
    /// <summary>Does what a line says; a line that means nothing does nothing.</summary>
    /// <param name="words">The words of the line.</param>
    void Do(string[] words);

    /// <summary>Looks whether anything has changed since the last time, and tells it. Tries to get to the system if it is not there.</summary>
    void Look();
}
