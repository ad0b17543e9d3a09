namespace Weiche.Core.Studios;

/// <summary>Moves every id of a studio up, so that none is one that another studio used before.</summary>
internal static class Renumbering
{
    /// <summary>The same studio with other ids.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="by">By how much each id grows, 0 or more.</param>
    internal static Studio Moved(Studio studio, int by)
    {
        return studio with
        {
            NextId = studio.NextId + by,
            Devices = [.. studio.Devices.Select(device => device with
            {
                Id = new DeviceId(device.Id.Value + by),
                Ports = [.. device.Ports.Select(port => port with { Id = Port(port.Id), Jack = port.Jack is { } jack ? Jack(jack) : null })],
                Jacks = [.. device.Jacks.Select(jack => jack with { Id = Jack(jack.Id) })],
                InnerPaths = [.. device.InnerPaths.Select(path => path with { Id = new InnerPathId(path.Id.Value + by), From = End(path.From), To = End(path.To) })],
            })],
            Routes = [.. studio.Routes.Select(route => route with { Id = new RouteId(route.Id.Value + by), From = From(route.From), To = Port(route.To) })],
            Groups = [.. studio.Groups.Select(group => group with { Id = Group(group.Id), Members = [.. group.Members.Select(Port)] })],
            Cables = [.. studio.Cables.Select(cable => new Cable(Jack(cable.From), Jack(cable.To)))],
        };

        PortId Port(PortId id) => new(id.Value + by);
        JackId Jack(JackId id) => new(id.Value + by);
        GroupId Group(GroupId id) => new(id.Value + by);
        Place End(Place end) => end.Id == 0 ? end : end with { Id = end.Id + by };
        RouteSource From(RouteSource source) => source switch
        {
            OneSource one => Port(one.Port),
            GroupSource group => new GroupSource(Group(group.Group)),
            AnySource any => any with { Except = [.. any.Except.Select(Port)] },
            _ => source,
        };
    }
}
