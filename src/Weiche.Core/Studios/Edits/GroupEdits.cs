namespace Weiche.Core.Studios.Edits;

/// <summary>Makes a group of sources.</summary>
/// <param name="Name">Its name, as typed.</param>
public sealed record AddGroup(string? Name) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Add group {NameRule.Tidy(Name)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        var name = NameRule.Tidy(Name);
        if (NameRule.Check(name) is { } problem)
            return EditResult.Refused("group", problem);
        if (studio.Groups.Any(group => string.Equals(group.Name, name, StringComparison.OrdinalIgnoreCase)))
            return EditResult.Refused("group", $"There is already a group called “{name}”. Choose another name.");
        var id = studio.NextId;
        return EditResult.Done(
            studio with
            {
                Groups = studio.Groups.Add(new SourceGroup(new GroupId(id), name, [])),
                NextId = studio.NextId + 1,
            },
            id
        );
    }
}

/// <summary>Puts a source into a group or takes it out.</summary>
/// <param name="Id">The group.</param>
/// <param name="Member">The source.</param>
/// <param name="Present">Whether it shall be in.</param>
public sealed record SetMember(GroupId Id, PortId Member, bool Present) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        $"{(Present ? "Put" : "Take")} {PortName(studio, Member)} {(Present ? "into" : "out of")} {studio.FindGroup(Id)?.Name}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindGroup(Id) is not { } group)
            return EditResult.Refused("group", "That group is gone: it was removed meanwhile. Nothing was changed.");
        if (studio.FindPort(Member) is not { IsSource: true })
            return EditResult.Refused("group", "A group has sources as members. Nothing was changed.");
        var members = Present
            ? group.Members.Contains(Member)
                ? group.Members
                : group.Members.Add(Member)
            : group.Members.Remove(Member);
        var after = studio with { Groups = studio.Groups.Replace(group, group with { Members = members }) };
        return EditResult.Done(after);
    }
}

/// <summary>Removes a group that no route uses.</summary>
/// <param name="Id">The group.</param>
public sealed record RemoveGroup(GroupId Id) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Remove group {studio.FindGroup(Id)?.Name}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindGroup(Id) is not { } group)
            return EditResult.Refused("group", "That group is gone already.");
        return studio.Routes.FirstOrDefault(route => route.From == new GroupSource(Id)) is { } route
            ? EditResult.Refused("group", $"{group.Name} is in use by {studio.Describe(route)}. Remove that route first.")
            : EditResult.Done(studio with { Groups = studio.Groups.Remove(group) });
    }
}
