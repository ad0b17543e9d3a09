using System.Collections.Immutable;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>A route as the engine runs it: the compiled route together with where it ends and what the guard says of it. It belongs to one
/// engine, which alone changes it.</summary>
internal sealed class Line
{
    internal readonly RouteId Id;
    internal readonly PortId Destination;

    /// <summary>Whether its destination is switched on.</summary>
    internal readonly bool IsLive;

    /// <summary>For each lineup whether it is on duty there.</summary>
    internal readonly bool[] IsIn;

    /// <summary>Whether the studio has it switched on.</summary>
    internal readonly bool IsMeantOn;

    /// <summary>Whether a stage of it keeps messages for later.</summary>
    internal readonly bool KeepsTime;
    internal readonly bool Diverts;

    /// <summary>Where it ends.</summary>
    internal readonly Outlet Outlet;
    internal readonly CompiledStage[] Stages;

    /// <summary>What they were made from.</summary>
    internal readonly ImmutableArray<Stage> Rules;

    /// <summary>As <see cref="CompiledRoute.Tables"/>.</summary>
    internal readonly TableStage?[] Tables;

    /// <summary>As <see cref="CompiledRoute.Ends"/>.</summary>
    internal readonly int[] Ends;
    internal readonly RouteMeter Meter;

    /// <summary>Whether a single table does what all its stages do; also true of a route without stages.</summary>
    internal readonly bool IsOneTable;

    /// <summary>That table; null if there are no stages.</summary>
    internal readonly TableStage? Whole;

    /// <summary>The meter of the first stage; null if there are none.</summary>
    internal readonly StageMeter? First;

    private bool _isGuarded;
    private bool _isOff;

    internal Line(CompiledRoute route, Outlet outlet)
    {
        (Id, Destination, IsLive, Diverts) = (route.Id, route.Destination, route.IsLive, route.Diverts);
        (Stages, Tables, Ends, Meter) = (route.Stages, route.Tables, route.Ends, route.Meter);
        (IsOneTable, Whole, First) = (route.IsOneTable, route.Whole, route.First);
        (IsIn, IsMeantOn, KeepsTime) = (route.IsIn, route.Route.On, !route.KeepsNothing);
        (Outlet, Rules) = (outlet, route.Route.Stages);
        IsOff = !IsMeantOn;
    }

    /// <summary>Whether the guard stops something on it.</summary>
    internal bool IsGuarded
    {
        get => _isGuarded;
        set
        {
            _isGuarded = value;
            SayWhetherPlain();
        }
    }

    /// <summary>Whether it is switched off, by hand or by a lever.</summary>
    internal bool IsOff
    {
        get => _isOff;
        set
        {
            _isOff = value;
            SayWhetherPlain();
        }
    }

    /// <summary>Whether it is like most: live, one table or none, diverting nothing and not guarded.</summary>
    internal bool IsPlain { get; private set; }

    private void SayWhetherPlain() => IsPlain = IsLive && IsOneTable && !Diverts && !_isGuarded && !_isOff;
}
