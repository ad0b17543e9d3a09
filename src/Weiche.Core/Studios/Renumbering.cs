namespace Weiche.Core.Studios;

/// <summary>Gives everything in a studio a number anew, counted from 1.</summary>
public static class Renumbering
{
    /// <summary>Numbers up to here leave room enough.</summary>
    private const int HighNumber = Studio.MaxIds / 2;

    /// <summary>The studio as one that begins: the same, unless its numbers are so high that they would run out; then they are counted
    /// anew, in the order in which things were added.</summary>
    /// <param name="studio">A studio that is nowhere in use yet.</param>
    public static Studio Renumbered(this Studio studio)
    {
        if (studio.NextId <= HighNumber)
            return studio;
        var anew = StudioRules.IdsOf(studio).Order().Index().ToDictionary(item => item.Item, item => item.Index + 1);
        return studio with
        {
            NextId = anew.Count + 1,
            Devices =
            [
                .. studio.Devices.Select(device =>
                    device with
                    {
                        Id = new DeviceId(anew[device.Id.Value]),
                        Ports =
                        [
                            .. device.Ports.Select(port =>
                                port with
                                {
                                    Id = Port(port.Id),
                                    Jack = port.Jack is { } jack ? Jack(jack) : null,
                                }
                            ),
                        ],
                        Jacks = [.. device.Jacks.Select(jack => jack with { Id = Jack(jack.Id) })],
                        InnerPaths =
                        [
                            .. device.InnerPaths.Select(path =>
                                path with
                                {
                                    Id = new InnerPathId(anew[path.Id.Value]),
                                    From = End(path.From),
                                    To = End(path.To),
                                }
                            ),
                        ],
                    }
                ),
            ],
            Routes =
            [
                .. studio.Routes.Select(route =>
                    route with
                    {
                        Id = new RouteId(anew[route.Id.Value]),
                        From = From(route.From),
                        To = Port(route.To),
                        Duty = In(route.Duty),
                    }
                ),
            ],
            Groups = [.. studio.Groups.Select(group => group with { Id = Group(group.Id), Members = [.. group.Members.Select(Port)] })],
            Cables = [.. studio.Cables.Select(cable => new Cable(Jack(cable.From), Jack(cable.To)))],
            Lineups =
            [
                .. studio.Lineups.Select(lineup =>
                    lineup with
                    {
                        Id = Known(lineup.Id),
                        Sends = [.. lineup.Sends.Select(sending => sending with { To = Port(sending.To) })],
                        Master = Master(lineup.Master),
                    }
                ),
            ],
            Levers =
            [
                .. studio.Levers.Select(lever =>
                    lever with
                    {
                        Id = new LeverId(anew[lever.Id.Value]),
                        Source = Port(lever.Source),
                        Work = Work(lever.Work),
                        Works = In(lever.Works),
                    }
                ),
            ],
            Time = studio.Time with
            {
                Master = Master(studio.Time.Master),
                Followers = [.. studio.Time.Followers.Select(follower => follower with { To = Port(follower.To) })],
            },
        };

        ClockMaster? Master(ClockMaster? master) => master is { Source: { } source } ? new ClockMaster(Port(source)) : master;
        LineupId Known(LineupId id) => new(anew[id.Value]);
        Duty In(Duty duty) => duty.IsStanding ? duty : Duty.In(duty.Lineups.Select(Known));
        LeverWork Work(LeverWork work) =>
            work switch
            {
                EnterLineup enter => new EnterLineup(Known(enter.Lineup)),
                SwitchRoutes routes => routes with { Routes = [.. routes.Routes.Select(id => new RouteId(anew[id.Value]))] },
                _ => work,
            };

        PortId Port(PortId id) => new(anew[id.Value]);
        JackId Jack(JackId id) => new(anew[id.Value]);
        GroupId Group(GroupId id) => new(anew[id.Value]);
        Place End(Place end) => end.Id == 0 ? end : end with { Id = anew[end.Id] };
        RouteSource From(RouteSource source) =>
            source switch
            {
                OneSource one => Port(one.Port),
                GroupSource group => new GroupSource(Group(group.Group)),
                AnySource any => any with { Except = [.. any.Except.Select(Port)] },
                _ => source,
            };
    }
}
