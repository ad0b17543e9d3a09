using System.Globalization;

namespace Weiche.Core.Studios.Edits;

/// <summary>Makes a device of what is plugged in, or of a program that runs, as it is: with the name that it gives itself, and what it most
/// likely is. All of that can be changed where it stands.</summary>
/// <param name="Unit">What is plugged in.</param>
/// <param name="Sounds">Whether it is taken in for its sound.</param>
public sealed record TakeUnit(Unit Unit, bool Sounds = false) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Take in {NameRule.Tidy(Unit.Says)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        var name = FreeName(studio);
        return Unit.IsFile
            ? new AddRawDevice(name, Unit.Place, Says: Unit.Says).Apply(studio)
            : new AddDevice($"{name}, {Sort()}", Unit).Apply(studio);
    }

    private string Sort()
    {
        var (sends, listens) = (
            Unit.Ports.Count(port => port.Direction == PortDirection.Source),
            Unit.Ports.Count(port => port.Direction == PortDirection.Destination)
        );
        if (Unit.Ports.Any(port => port.Wire == WireKind.Din))
            return string.Create(CultureInfo.InvariantCulture, $"interface {sends}x{listens}");
        var kind =
            Unit.IsProgram ? DeviceKind.Application
            : sends == 0 ? DeviceKind.SoundModule
            : listens > 0 && Sounds ? DeviceKind.KeyboardSynth
            : DeviceKind.KeyboardController;
        // What a program does with what it hears nobody knows: a sound is the likeliest.
        return kind.Facts().Words[0] + (kind == DeviceKind.Application && listens > 0 ? ", sounds" : "");
    }

    /// <summary>The name that it gives itself, without what a line would read as something else; told apart by a number if that is
    /// taken.</summary>
    private string FreeName(Studio studio)
    {
        const int RoomForNumber = 4;
        var says = NameRule.Tidy(Unit.Says.Replace(',', ' ').Replace('<', ' ').Replace('>', ' '));
        if (says.Length > NameRule.MaxLength - RoomForNumber)
            says = says[..(NameRule.MaxLength - RoomForNumber)].Trim();
        if (NameRule.Check(says) is not null)
            says = "device";
        var name = says;
        for (var number = 2; NameRule.CheckFor(studio, name, null) is not null && number < 1_000; number++)
            name = string.Create(CultureInfo.InvariantCulture, $"{says} {number}");
        return name;
    }
}
