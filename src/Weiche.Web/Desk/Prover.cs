using Weiche.Core.Checks;
using Weiche.Core.Studios;

namespace Weiche.Web.Desk;

/// <summary>What became of a look that took its time.</summary>
/// <param name="Studio">The studio.</param>
/// <param name="Report">What was found; null if the checks themselves failed.</param>
/// <param name="Opened">What opens a circuit that was not open before; null if nothing does.</param>
/// <param name="MayOpen">Whether that is meant.</param>
internal sealed record Proof(Studio Studio, CheckReport? Report, Opening? Opened, bool MayOpen);

/// <summary>Looks at studios. A small one is looked at before its edit is answered; a large one has a moment for that, and is looked at
/// beside the edits from then on: of those that follow one another the newest.</summary>
/// <param name="proved">Takes what was found later. It is called on a thread of its own.</param>
internal sealed class Prover(Action<Proof> proved)
{
    /// <summary>With so many routes a look may take longer than a person waits.</summary>
    private const int ManyRoutes = 150;

    /// <summary>How long an edit waits for its look: with all else it is answered in a tenth of a second.</summary>
    private static readonly TimeSpan Patience = TimeSpan.FromMilliseconds(40);

    private readonly Lock _gate = new();
    private (Studio Studio, bool MayOpen)? _next;
    private bool _isLooking;

    /// <summary>What is known before anything was looked at.</summary>
    internal static CheckReport Unknown { get; } = Checker.Check(Studio.Empty("Nothing"));

    /// <summary>Looks at a studio; returns what was found, or null if it is told later.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="known">What was found last.</param>
    /// <param name="mayOpen">Whether a circuit that it opens is meant.</param>
    internal CheckReport? TryProve(Studio studio, CheckReport known, bool mayOpen)
    {
        lock (_gate)
        {
            if (_isLooking)
            {
                // What was meant once stays so until it is proved.
                _next = (studio, mayOpen || _next is { MayOpen: true });
                return null;
            }
            if (studio.Routes.Length < ManyRoutes)
                return Checker.Check(studio, known);
            _isLooking = true;
        }
        var look = Task.Run(() => Checker.Check(studio, known));
        try
        {
            if (look.Wait(Patience))
            {
                lock (_gate)
                    _isLooking = false;
                return look.Result;
            }
        }
        catch (AggregateException)
        {
            lock (_gate)
                _isLooking = false;
            throw;
        }
        look.ContinueWith(done => GoOn(() => done.GetAwaiter().GetResult(), studio, known, mayOpen), TaskScheduler.Default);
        return null;
    }

    private void GoOn(Func<CheckReport> look, Studio studio, CheckReport known, bool mayOpen)
    {
        Proof proof;
        while (true)
        {
            try
            {
                var report = look();
                bool isNewest;
                lock (_gate)
                    isNewest = _next is null;
                // What is overtaken opens nothing any more; what was known of it shortens the next look.
                proof = new Proof(studio, report, isNewest && report.OpensCircuit(known) ? Opening.Of(known, report) : null, mayOpen);
            }
            catch (Exception exception)
            {
                Console.Error.WriteLine($"The checks failed on the studio {studio.Name}: {exception}");
                proof = new Proof(studio, null, null, mayOpen);
            }
            lock (_gate)
            {
                if (_next is not { } next)
                {
                    _isLooking = false;
                    break;
                }
                // Whether a circuit is new is asked of what was proved last, not of what nobody saw.
                (studio, mayOpen, _next) = (next.Studio, next.MayOpen || mayOpen, null);
            }
            var (newest, before) = (studio, proof.Report ?? known);
            look = () => Checker.Check(newest, before);
        }
        proved(proof);
    }
}
