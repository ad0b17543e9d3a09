using System.Globalization;

namespace Weiche.Data;

/// <summary>How many changes were written to a database, in a file of its own beside it: what tells that some of them are
/// missing.</summary>
/// <remarks>It is written after each change and never holds one up: where it cannot be written, nothing is told later.</remarks>
internal sealed class WriteWitness : IDisposable
{
    private const int Digits = 10;

    private readonly FileStream? _file;

    private WriteWitness(FileStream? file, int count)
    {
        _file = file;
        Count = count;
    }

    /// <summary>How many changes it knew of when it was opened; 0 if it knows nothing.</summary>
    internal int Count { get; }

    /// <summary>Opens it, or makes it.</summary>
    /// <param name="database">The database file.</param>
    internal static WriteWitness Open(string database)
    {
        try
        {
            var file = new FileStream(database + "-count", FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.Read, bufferSize: 0);
            Span<byte> text = stackalloc byte[Digits];
            var length = file.ReadAtLeast(text, Digits, throwOnEndOfStream: false);
            return new WriteWitness(
                file,
                int.TryParse(text[..length], NumberStyles.None, CultureInfo.InvariantCulture, out var count) ? count : 0
            );
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            return new WriteWitness(null, 0);
        }
    }

    /// <summary>Writes down how many there are now.</summary>
    /// <param name="count">How many.</param>
    internal void Write(int count)
    {
        try
        {
            Span<byte> text = stackalloc byte[Digits];
            _ = count.TryFormat(text, out _, "D10", CultureInfo.InvariantCulture);
            if (_file is null)
                return;
            _file.Position = 0;
            _file.Write(text);
        }
        catch (IOException)
        {
            // The change itself is on the disk.
        }
    }

    /// <inheritdoc/>
    public void Dispose() => _file?.Dispose();
}
