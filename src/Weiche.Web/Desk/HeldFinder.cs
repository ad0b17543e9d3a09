using Weiche.Core.Checks;

namespace Weiche.Web.Desk;

/// <summary>Looks for what holds circuits closed, away from requests: in a large studio that takes a while.</summary>
/// <remarks>Any request may ask; one search runs at a time, and one for a version that is no longer open is given up.</remarks>
public sealed class HeldFinder : IDisposable
{
    private readonly Lock _gate = new();
    private CheckReport? _report;
    private Task<(IReadOnlyList<Finding> Findings, bool IsWhole)>? _task;
    private CancellationTokenSource _cancel = new();

    /// <summary>What was found; null while it is still looked for. Asking is what begins it.</summary>
    /// <param name="report">What was found otherwise.</param>
    public (IReadOnlyList<Finding> Findings, bool IsWhole)? Find(CheckReport report)
    {
        lock (_gate)
        {
            if (!ReferenceEquals(_report, report))
            {
                _cancel.Cancel();
                _cancel.Dispose();
                _cancel = new CancellationTokenSource();
                var token = _cancel.Token;
                _report = report;
                _task = Task.Run(() => HeldSearch.Of(report, token));
            }
            // A small studio is done before anybody could have looked away.
            if (_task!.Wait(TimeSpan.FromMilliseconds(100)))
                return _task.Result;
            return null;
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        _cancel.Cancel();
        _cancel.Dispose();
    }
}
