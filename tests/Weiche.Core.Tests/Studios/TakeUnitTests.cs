using CsCheck;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Tests.Studios;

public sealed class TakeUnitTests
{
    [Theory]
    [InlineData("Amsel, 61", 1, 0, WireKind.Usb, false, "Amsel 61", DeviceKind.KeyboardController)]
    [InlineData("Zinn", 0, 1, WireKind.Usb, true, "Zinn", DeviceKind.SoundModule)]
    [InlineData("Brandung", 1, 1, WireKind.Usb, true, "Brandung", DeviceKind.KeyboardSynth)]
    [InlineData("Brandung", 1, 1, WireKind.Usb, false, "Brandung", DeviceKind.KeyboardController)]
    [InlineData("Klick", 1, 0, WireKind.Virtual, false, "Klick", DeviceKind.Application)]
    [InlineData("Weiher", 4, 4, WireKind.Din, false, "Weiher", DeviceKind.Interface)]
    [InlineData("\u3164", 1, 0, WireKind.Usb, false, "device", DeviceKind.KeyboardController)]
    public void It_is_called_what_it_says_and_is_what_it_most_likely_is(
        string says,
        int sends,
        int listens,
        WireKind wire,
        bool sounds,
        string name,
        DeviceKind kind
    )
    {
        var unit = new Unit(
            "key",
            says,
            "",
            "hub 1",
            [
                .. Enumerable.Range(1, sends).Select(i => new UnitPort(PortDirection.Source, $"IN {i}", wire)),
                .. Enumerable.Range(1, listens).Select(i => new UnitPort(PortDirection.Destination, $"OUT {i}", wire)),
            ]
        );
        var device = Studio.Empty("Test").Must(new TakeUnit(unit, sounds)).Devices.Single();
        Assert.Equal((name, kind, says), (device.Name, device.Kind, device.Known!.Says));
        Assert.Equal(kind == DeviceKind.Interface ? 8 : sends + listens, device.Ports.Length);
    }

    [Fact]
    public void Whatever_something_calls_itself_it_can_be_taken_in_again_and_again()
    {
        Gen.Select(
                Gen.OneOf(Gen.String, Gen.Const("channels 5"), Gen.Const("on Weiher 2"), Gen.Const("x, y"), Gen.Const(new string('a', 60))),
                Gen.Int[0, 2],
                Gen.Int[1, 2]
            )
            .Sample(
                (says, sends, listens) =>
                {
                    // As drivers give it.
                    says = NameRule.Said(says);
                    var unit = new Unit(
                        "key",
                        says,
                        "",
                        "this computer",
                        [
                            .. Enumerable.Range(1, sends).Select(i => new UnitPort(PortDirection.Source, $"{i}", WireKind.Virtual)),
                            .. Enumerable.Range(1, listens).Select(i => new UnitPort(PortDirection.Destination, $"{i}", WireKind.Virtual)),
                        ]
                    );
                    var studio = Studio.Empty("Test");
                    for (var i = 0; i < 3; i++)
                        studio = studio.Must(new TakeUnit(unit));
                    Assert.Equal(3, studio.Devices.Select(device => device.Name.ToUpperInvariant()).Distinct().Count());
                    Assert.Null(StudioRules.Broken(studio));
                },
                iter: 1_000
            );
    }

    [Fact]
    public void A_device_file_is_taken_in_as_one()
    {
        var device = Studio
            .Empty("Test")
            .Must(new TakeUnit(new Unit("/dev/snd/midiC1D0", "Keys 61", "", "/dev/snd/midiC1D0", [])))
            .Devices.Single();
        Assert.Equal(("Keys 61", DeviceKind.Raw, "/dev/snd/midiC1D0"), (device.Name, device.Kind, device.Address));
    }
}
