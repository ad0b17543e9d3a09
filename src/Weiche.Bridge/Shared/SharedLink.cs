using System.IO.MemoryMappedFiles;

namespace Weiche.Bridge.Shared;

/// <summary>The memory that Weiche and a bridge share: a way for messages in either direction.</summary>
public sealed unsafe class SharedLink : IDisposable
{
    private const long Size = 2L * SharedRing.Size + 64;

    private readonly MemoryMappedFile _file;
    private readonly MemoryMappedViewAccessor _view;
    private readonly string? _path;
    private readonly int* _period;

    private SharedLink(MemoryMappedFile file, string? path)
    {
        (_file, _path) = (file, path);
        _view = file.CreateViewAccessor(0, Size);
        byte* at = null;
        _view.SafeMemoryMappedViewHandle.AcquirePointer(ref at);
        In = new SharedRing(at);
        Out = new SharedRing(at + SharedRing.Size);
        _period = (int*)(at + 2L * SharedRing.Size);
    }

    /// <summary>What comes in from outside: the bridge writes it.</summary>
    public SharedRing In { get; }

    /// <summary>What goes out: Weiche writes it.</summary>
    public SharedRing Out { get; }

    /// <summary>How long a cycle of the system is, µs; 0 for one that has none.</summary>
    public int Period
    {
        get => Volatile.Read(ref *_period);
        set => Volatile.Write(ref *_period, value);
    }

    /// <summary>Makes one, in a file of this user alone that is gone with it.</summary>
    /// <param name="path">The file.</param>
    /// <exception cref="IOException">There is no room for it.</exception>
    public static SharedLink Create(out string path)
    {
        var folder = Directory.Exists("/dev/shm") ? "/dev/shm" : Path.GetTempPath();
        path = Path.Combine(folder, $"weiche-{Environment.ProcessId}-{Guid.NewGuid():N}");
        var options = new FileStreamOptions { Mode = FileMode.CreateNew, Access = FileAccess.ReadWrite };
        if (!OperatingSystem.IsWindows()) options.UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite;
        using (var file = new FileStream(path, options)) file.SetLength(Size);
        return new SharedLink(MemoryMappedFile.CreateFromFile(path, FileMode.Open, null, Size), path);
    }

    /// <summary>Opens the one that Weiche made.</summary>
    /// <param name="path">Its file.</param>
    public static SharedLink Open(string path) => new(MemoryMappedFile.CreateFromFile(path, FileMode.Open, null, Size), null);

    /// <inheritdoc/>
    public void Dispose()
    {
        _view.SafeMemoryMappedViewHandle.ReleasePointer();
        _view.Dispose();
        _file.Dispose();
        if (_path is not null) File.Delete(_path);
    }
}
