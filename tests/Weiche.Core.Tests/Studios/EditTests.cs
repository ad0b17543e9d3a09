using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Studios;

public class EditTests
{
    [Fact]
    public void A_virtual_port_is_a_source_and_a_destination_of_one_name()
    {
        var studio = Of("  keys   to stars ");
        Assert.Equal(["from keys to stars", "to keys to stars"], studio.Ports.Select(port => port.Label));
    }

    [Theory]
    [InlineData(null, "at least one character")]
    [InlineData("   ", "at least one character")]
    [InlineData("<b>loud</b>", "cannot contain < or >")]
    [InlineData("KEYS", "already something called “keys”")]
    [InlineData("bell\u0007", "control characters")]
    [InlineData("a name that is much too long for any label on any cable", "at most 40 characters; this one has 55")]
    public void A_name_that_cannot_be_is_refused_with_the_reason(string? name, string reason)
    {
        var studio = Of("keys", "other");
        Assert.Contains(reason, studio.Refused(new AddVirtualPort(name)).Sentence, StringComparison.Ordinal);
        var problem = studio.Refused(new RenameDevice(studio.Devices[1].Id, name));
        Assert.Equal("name", problem.Field);
        Assert.Contains(reason, problem.Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void Half_a_character_is_not_a_name()
    {
        Assert.Contains("control characters", Of("keys").Refused(new AddVirtualPort("half \ud83c")).Sentence, StringComparison.Ordinal);
        Assert.Equal(2, Of("keys", "whole \ud83c\udfb9").Devices.Length);
    }

    [Fact]
    public void A_device_may_keep_its_name_or_change_its_capitals()
    {
        var studio = Of("keys");
        Assert.Equal("Keys", studio.Must(new RenameDevice(studio.Devices[0].Id, "Keys")).Devices[0].Name);
    }

    [Fact]
    public void A_route_that_cannot_be_is_refused_with_the_reason()
    {
        var studio = Of("a", "b", "c").Lay("a", "b").Lay("b", "c");
        var already = studio.Refused(new LayRoute(studio.From("a"), studio.To("b")));
        Assert.Contains("already", already.Sentence, StringComparison.Ordinal);
        Assert.Equal(2, studio.Must(already.Remedy!.Edit).RoutesBetween(studio.From("a"), studio.To("b")).Count());
        Assert.Contains("itself", studio.Refused(new LayRoute(studio.From("a"), studio.To("a"))).Sentence, StringComparison.Ordinal);
        Assert.Contains("is a source", studio.Refused(new LayRoute(studio.From("a"), studio.From("b"))).Sentence, StringComparison.Ordinal);
        Assert.Contains(
            "is a destination",
            studio.Refused(new LayRoute(studio.To("a"), studio.To("b"))).Sentence,
            StringComparison.Ordinal
        );
        Assert.Contains("gone", studio.Refused(new LayRoute(new PortId(99), studio.To("b"))).Sentence, StringComparison.Ordinal);
        Assert.Contains("gone", studio.Refused(new LayRoute(studio.From("a"), new PortId(99))).Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void A_virtual_port_in_use_is_not_removed_and_the_routes_are_named()
    {
        var studio = Of("a", "b").Lay("a", "b");
        var problem = studio.Refused(new RemoveDevice(studio.Devices[0].Id));
        Assert.Contains("a → b", problem.Sentence, StringComparison.Ordinal);
        studio = studio.Must(new RemoveRoute(studio.Routes[0].Id)).Must(new RemoveDevice(studio.Devices[0].Id));
        Assert.Equal(["b"], studio.Devices.Select(device => device.Name));
        Assert.Contains("gone", studio.Refused(new RemoveDevice(new DeviceId(1))).Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void An_id_is_never_used_again()
    {
        var studio = Of("a");
        var first = studio.Devices[0].Id;
        studio = studio.Must(new RemoveDevice(first)).Must(new AddVirtualPort("a"));
        Assert.NotEqual(first, studio.Devices[0].Id);
    }

    [Fact]
    public void An_edit_of_what_is_gone_is_refused()
    {
        var studio = Of("a", "b").Lay("a", "b", new KindsStage(KindSet.All));
        var route = studio.Routes[0].Id;
        var gone = new RouteId(99);
        StudioEdit[] edits =
        [
            new SwitchRoute(gone, true),
            new RemoveRoute(gone),
            new AddStage(gone, new KindsStage(KindSet.All)),
            new SetStage(gone, 0, new KindsStage(KindSet.All)),
            new RemoveStage(gone, 0, "Kinds"),
            new SwitchPort(new PortId(99), true),
            new SwitchPort(new PortId(0), true),
            new RenameDevice(new DeviceId(99), "x"),
            new RemoveStage(route, 1, "Kinds"),
            new RemoveStage(route, 0, "Channels"),
            new RemoveStage(route, -1, "Kinds"),
            new SetStage(route, 0, new ChannelsStage(ChannelMap.Identity)),
        ];
        foreach (var edit in edits)
        {
            var sentence = studio.Refused(edit).Sentence;
            Assert.True(
                sentence.Contains("gone", StringComparison.Ordinal) || sentence.Contains("not there any more", StringComparison.Ordinal),
                sentence
            );
            Assert.NotEmpty(edit.Title(studio));
        }
    }

    [Fact]
    public void A_route_has_at_most_sixteen_stages()
    {
        var studio = Of("a", "b").Lay("a", "b", [.. Enumerable.Repeat(new KindsStage(KindSet.All), Route.MaxStages)]);
        Assert.Contains(
            "at most 16",
            studio.Refused(new AddStage(studio.Routes[0].Id, new KindsStage(KindSet.All))).Sentence,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public void Edits_are_named_for_the_history()
    {
        var studio = Of("a", "b");
        Assert.Equal("Lay a → b", new LayRoute(studio.From("a"), studio.To("b")).Title(studio));
        Assert.Equal("Switch from a off", new SwitchPort(studio.From("a"), false).Title(studio));
        Assert.Equal("Rename a to c", new RenameDevice(studio.Devices[0].Id, " c ").Title(studio));
        studio = studio.Lay("a", "b");
        Assert.Equal("Add Kinds to a → b", new AddStage(studio.Routes[0].Id, new KindsStage(KindSet.None)).Title(studio));
        Assert.Equal("Remove a → b", new RemoveRoute(studio.Routes[0].Id).Title(studio));
    }

    [Theory]
    [InlineData("Am\u200Bsel", "Amsel")]
    [InlineData("\u202Elesma 16", "lesma 16")]
    [InlineData("Zinn\u2066\uFEFF", "Zinn")]
    [InlineData("👩\u200D🎤", "👩\u200D🎤")]
    public void What_cannot_be_seen_is_no_part_of_a_name(string typed, string kept)
    {
        Assert.Equal(kept, Studio.Empty("Room").Must(new AddVirtualPort(typed)).Devices[0].Name);
        if (typed == kept)
            return;
        // Such a name in a file is the same as without it: two of them are one.
        Assert.NotNull(NameRule.Check(typed));
        var text = Weiche
            .Files.StudioJson.Write(Studio.Empty("Room").Must(new AddVirtualPort("a name")))
            .Replace("a name", typed, StringComparison.Ordinal);
        Assert.Equal(kept, Weiche.Files.StudioJson.Read(text).Devices[0].Name);
    }

    [Theory]
    [InlineData("\u3164")]
    [InlineData("\u2800 \u2800")]
    [InlineData("\u200D")]
    public void A_name_that_is_drawn_as_nothing_is_refused(string name) =>
        Assert.Contains("must be seen", Studio.Empty("Room").Refused(new AddVirtualPort(name)).Sentence, StringComparison.Ordinal);
}
