using System.Globalization;
using System.IO.MemoryMappedFiles;

namespace Weiche.Bridge.Shared;

/// <summary>The memory that Weiche and a bridge share: a way for messages in either direction.</summary>
/// <remarks>Each of its two ways has one writer and one reader, each on a thread of its own, in two processes; neither waits for the
/// other. The period may be read and written by anybody.</remarks>
public sealed unsafe class SharedLink : IDisposable
{
    private const long Size = 2L * SharedRing.Size + 64;

    private readonly MemoryMappedFile _file;
    private readonly MemoryMappedViewAccessor _view;
    private readonly int* _period;

    private SharedLink(MemoryMappedFile file)
    {
        _file = file;
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

    /// <summary>Makes one. Its file has no name in any folder: it is gone with whoever has it open, however they end.</summary>
    /// <param name="path">By what another process of this user opens it.</param>
    /// <exception cref="IOException">There is no room for it.</exception>
    public static SharedLink Create(out string path)
    {
        var folder = Directory.Exists("/dev/shm") ? "/dev/shm" : Path.GetTempPath();
        var named = Path.Combine(folder, $"weiche-{Environment.ProcessId}-{Guid.NewGuid():N}");
        var options = new FileStreamOptions
        {
            Mode = FileMode.CreateNew,
            Access = FileAccess.ReadWrite,
            Share = FileShare.ReadWrite,
        };
        if (!OperatingSystem.IsWindows())
            options.UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite;
        var file = new FileStream(named, options);
        try
        {
            file.SetLength(Size);
        }
        finally
        {
            File.Delete(named);
        }
        path = string.Create(CultureInfo.InvariantCulture, $"/proc/{Environment.ProcessId}/fd/{file.SafeFileHandle.DangerousGetHandle()}");
        return new SharedLink(Map(file));
    }

    /// <summary>Opens the one that Weiche made.</summary>
    /// <param name="path">By what it is opened.</param>
    public static SharedLink Open(string path) => new(Map(new FileStream(path, FileMode.Open, FileAccess.ReadWrite, FileShare.ReadWrite)));

    private static MemoryMappedFile Map(FileStream file) =>
        MemoryMappedFile.CreateFromFile(file, null, Size, MemoryMappedFileAccess.ReadWrite, HandleInheritability.None, leaveOpen: false);

    /// <inheritdoc/>
    public void Dispose()
    {
        _view.SafeMemoryMappedViewHandle.ReleasePointer();
        _view.Dispose();
        _file.Dispose();
    }
}
