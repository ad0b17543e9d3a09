using Microsoft.Extensions.FileProviders;
using Microsoft.Extensions.Primitives;

namespace Weiche.Web.Startup;

/// <summary>Files that do not change while Weiche runs: nobody asks the system to watch them. It watches for few (inotify instances are
/// counted for each user), and a page must not fail because other programs have used them up.</summary>
/// <param name="files">The files.</param>
internal sealed class StillFiles(IFileProvider files) : IFileProvider
{
    /// <inheritdoc/>
    public IDirectoryContents GetDirectoryContents(string subpath) => files.GetDirectoryContents(subpath);

    /// <inheritdoc/>
    public IFileInfo GetFileInfo(string subpath) => files.GetFileInfo(subpath);

    /// <inheritdoc/>
    public IChangeToken Watch(string filter) => NullChangeToken.Singleton;
}
