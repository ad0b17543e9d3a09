using Weiche.Core.Studios;
using Weiche.Core.Takes;
using Weiche.Data;
using Weiche.Files;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Startup;

/// <summary>What can be done with takes without a page.</summary>
internal static class TakeVerbs
{
    /// <summary>Plays every take of a studio through every lineup, in virtual time, and says what becomes of it: the check before the
    /// show.</summary>
    /// <param name="folder">The data folder.</param>
    /// <param name="name">The studio's name; null for the one worked on last.</param>
    /// <returns>Whether every take is heard in one lineup at least, and nothing is left hanging.</returns>
    internal static bool RehearseAll(string folder, string? name)
    {
        using var store = StudioStore.OpenForReading(folder);
        var stored = FileVerbs.ReadStored(store, folder, name);
        var studio = StudioJson.Read(stored.Document);
        var own = studio
            .Devices.FirstOrDefault(device => device.IsVirtualPort() && device.Name == StudioDesk.OwnPortName)
            ?.FirstPort(PortDirection.Source);
        var takes = store.Takes(stored.Id).Where(row => !row.IsGone).Select(row => (row.Name, Take: TakeOf(store, row))).ToList();
        if (takes.Count == 0)
            throw new StartException($"There are no takes of {studio.Name} in {folder} yet.");
        var all = TakeRehearsal.All(studio, takes, own);
        foreach (var take in all.GroupBy(each => each.Take))
        {
            Console.WriteLine(take.Key);
            foreach (var each in take)
            {
                Console.WriteLine(
                    $"  {each.Lineup,-24} "
                        + $"{(each.Notes > 0 ? $"{each.Arrived} notes" : $"{each.Rows.Sum(row => row.Messages)} messages")} at "
                        + $"{each.Rows.Count} {(each.Rows.Count == 1 ? "destination" : "destinations")}{(each.Wrong.Length > 0 ? $": {each.Wrong}" : "")}"
                );
                foreach (var left in each.LeftOut)
                    Console.WriteLine($"    left out: {left}");
            }
        }
        // What rests in one lineup may be meant; what is heard in none is not, nor is what hangs.
        return all.GroupBy(each => each.Take).All(take => take.Any(each => each.Rows.Count > 0))
            && all.All(each => each.Rows.All(row => row.Held == 0));
    }

    private static Take TakeOf(StudioStore store, TakeRow row)
    {
        try
        {
            return TakeShelf.Read(row, store.Pages(row.StudioId, row.Id));
        }
        catch (TapeException exception)
        {
            throw new StartException($"The take {row.Name} cannot be read: {exception.Message}.", exception);
        }
    }
}
