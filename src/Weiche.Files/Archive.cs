using System.IO.Compression;

namespace Weiche.Files;

/// <summary>Several files together in one (ZIP).</summary>
public static class Archive
{
    /// <summary>The archive.</summary>
    /// <param name="files">Each file's name and bytes.</param>
    public static byte[] Of(IEnumerable<(string Name, byte[] Bytes)> files)
    {
        using var bytes = new MemoryStream();
        using (var archive = new ZipArchive(bytes, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var (name, content) in files)
            {
                using var entry = archive.CreateEntry(name).Open();
                entry.Write(content);
            }
        }
        return bytes.ToArray();
    }
}
