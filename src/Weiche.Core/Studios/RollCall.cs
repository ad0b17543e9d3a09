using System.Collections.Immutable;
using Weiche.Core.Midi;

namespace Weiche.Core.Studios;

/// <summary>A port of something that is plugged in.</summary>
/// <param name="Direction">Whether messages come from it or go to it.</param>
/// <param name="Part">Which part it is, as on a device's port.</param>
/// <param name="Wire">What carries its bytes.</param>
public sealed record UnitPort(PortDirection Direction, string Part, WireKind Wire);

/// <summary>Something that is plugged in and can be reached now, whether the studio knows it or not.</summary>
/// <param name="Key">Tells it from all others that are there, as long as it stays where it is.</param>
/// <param name="Says">The name it gives itself.</param>
/// <param name="Serial">Its serial number; empty if it gives none.</param>
/// <param name="Place">Where it is plugged in.</param>
/// <param name="Ports">Its ports.</param>
/// <param name="Identity">Its reply to an identity request, if it gave one.</param>
public sealed record Unit(
    string Key,
    string Says,
    string Serial,
    string Place,
    ImmutableArray<UnitPort> Ports,
    DeviceIdentity? Identity = null
)
{
    /// <summary>Whether it is reached as a file: its place is the path.</summary>
    public bool IsFile => Place.StartsWith('/');

    /// <summary>Whether it is a program of this computer.</summary>
    public bool IsProgram => Ports.Length > 0 && Ports.All(port => port.Wire == WireKind.Virtual);
}

/// <summary>Devices that cannot be told apart, and what is there of their sort.</summary>
/// <param name="Devices">The devices.</param>
/// <param name="Units">What is there.</param>
public sealed record Unclear(IReadOnlyList<DeviceId> Devices, IReadOnlyList<Unit> Units);

/// <summary>
/// The roll call: which device of the studio is which of the things that are plugged in. A device is told by its identity
/// reply, its name and serial number, the place it is pinned to, the place it was last at, in that order; then by its name,
/// if there is but one. What cannot be told apart is asked, never guessed.
/// </summary>
/// <param name="Present">What each device is that is there.</param>
/// <param name="New">What is there and no device.</param>
/// <param name="Unclear">What a person has to say.</param>
public sealed record RollCall(ImmutableDictionary<DeviceId, Unit> Present, ImmutableArray<Unit> New, ImmutableArray<Unclear> Unclear)
{
    /// <summary>Nobody was called yet.</summary>
    public static RollCall Empty { get; } = new(ImmutableDictionary<DeviceId, Unit>.Empty, [], []);

    /// <summary>Calls the roll.</summary>
    /// <param name="devices">The studio's devices. Those without <see cref="Device.Known"/> cannot be told and are left out.</param>
    /// <param name="units">What is plugged in.</param>
    public static RollCall Call(IEnumerable<Device> devices, IEnumerable<Unit> units)
    {
        var waiting = devices.Where(device => device.Known is not null).ToList();
        var free = units.ToList();
        var present = ImmutableDictionary.CreateBuilder<DeviceId, Unit>();

        Tell((known, unit) => known.Identity is { } identity && unit.Identity is { } reply && identity == reply);
        Tell((known, unit) => known.Serial.Length > 0 && known.Serial == unit.Serial && known.Says == unit.Says);
        Tell((known, unit) => known.Pinned && known.Place == unit.Place);
        // What answers to a serial number is nothing else, wherever it is.
        Tell((known, unit) => MayBe(known, unit) && known.Place == unit.Place);
        var unclear = new List<Unclear>();
        while (waiting.FirstOrDefault(device => Candidates(device.Known!).Count > 0) is { } next)
        {
            var candidates = Candidates(next.Known!);
            var alike = waiting.Where(device => device.Known!.Says == next.Known!.Says && Candidates(device.Known!).Count > 0).ToList();
            if (alike.Count == 1 && candidates.Count == 1)
            {
                Take(next, candidates[0]);
                continue;
            }
            unclear.Add(new Unclear([.. alike.Select(device => device.Id)], candidates));
            waiting.RemoveAll(alike.Contains);
            free.RemoveAll(candidates.Contains);
        }
        return new RollCall(present.ToImmutable(), [.. free], [.. unclear]);

        List<Unit> Candidates(KnownAs known) => [.. free.Where(unit => MayBe(known, unit))];

        // Only a pair that is alone on both sides tells anything.
        void Tell(Func<KnownAs, Unit, bool> same)
        {
            foreach (var device in waiting.ToList())
            {
                var fits = free.Where(unit => same(device.Known!, unit)).ToList();
                if (fits.Count == 1 && waiting.Count(other => same(other.Known!, fits[0])) == 1)
                    Take(device, fits[0]);
            }
        }

        void Take(Device device, Unit unit)
        {
            present[device.Id] = unit;
            waiting.Remove(device);
            free.Remove(unit);
        }
    }

    private static bool MayBe(KnownAs known, Unit unit) =>
        known.Says.Length > 0
        && known.Says == unit.Says
        && !known.Pinned
        && (known.Serial.Length == 0 || unit.Serial.Length == 0 || known.Serial == unit.Serial)
        && (known.Identity is null || unit.Identity is null || known.Identity.IsSameModel(unit.Identity));
}
