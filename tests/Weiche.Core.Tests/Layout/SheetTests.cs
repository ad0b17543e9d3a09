using System.Xml.Linq;
using Weiche.Core.Layout;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;

namespace Weiche.Core.Tests.Layout;

public sealed class SheetTests
{
    private static readonly Studio Dome = DemoStudio.Create();

    [Fact]
    public void Everything_that_one_must_know_in_the_room_is_on_it()
    {
        var sheet = Sheet.Of(Dome, [("the sequencer page", "it closes a circuit")]);
        Assert.Equal(["1 Dusk", "2 Star field", "3 Dawn"], sheet.Plans.Select(plan => plan.Title));
        Assert.Equal(Dome.Routes.Length, sheet.Plans[1].Tracks.Length);
        foreach (var device in Dome.Devices)
        {
            foreach (var jack in device.Jacks)
                Assert.Contains(sheet.Tables.Single(table => table.Key == "jacks").Rows, row =>
                    row[0] == device.Name && row[1] == jack.Name
                );
        }
        Assert.Equal(Dome.Ports.Count(port => port.Port.Jack is null), sheet.Tables.Single(table => table.Key == "ports").Rows.Length);
        Assert.Equal(Dome.Levers.Length, sheet.Tables.Single(table => table.Key == "levers").Rows.Length);
        Assert.Contains(sheet.Tables.Single(table => table.Key == "programs").Rows, row => row.SequenceEqual(["Zinn", "17", "Glass"]));
        var drawing = XDocument.Parse(SheetFiles.Drawing(sheet, "today"));
        var text = string.Join(' ', drawing.Descendants().Where(each => each.Name.LocalName == "text").Select(each => each.Value));
        foreach (var device in Dome.Devices)
            Assert.Contains(device.Name, text, StringComparison.Ordinal);
        Assert.Contains("it closes a circuit", text, StringComparison.Ordinal);
    }

    [Fact]
    public void What_has_changed_since_it_was_printed_is_told_and_nothing_else()
    {
        var printed = Sheet.Of(Dome, []);
        Assert.Empty(Sheet.Of(DemoStudio.Create(), []).Since(printed));
        var route = Dome.Route("Kies", "Himmel").Id;
        Assert.Equal(
            [
                "− 1 Dusk: Kies → notes → ch 10 → 16 → Himmel",
                "− 2 Star field: Kies → notes → ch 10 → 16 → Himmel",
                "− 3 Dawn: Kies → notes → ch 10 → 16 → Himmel",
                "+ 1 Dusk: Kies → notes → ch 10 → 16 → Himmel, off",
                "+ 2 Star field: Kies → notes → ch 10 → 16 → Himmel, off",
                "+ 3 Dawn: Kies → notes → ch 10 → 16 → Himmel, off",
            ],
            Sheet.Of(Dome.Must(new SwitchRoute(route, false)), []).Since(printed)
        );
    }

    [Fact]
    public void Its_tables_are_read_by_a_spreadsheet_and_no_name_is_a_formula_there()
    {
        var studio = Dome.Must(new AddVirtualPort("=1+1"));
        var tables = SheetFiles.Tables(Sheet.Of(studio, [])).ToDictionary();
        Assert.Contains("plan-2.csv", tables.Keys);
        Assert.DoesNotContain(tables["devices.csv"].Split('\n'), line => line.StartsWith('='));
        Assert.DoesNotContain(tables["ports.csv"].Split('\n', ','), cell => cell.StartsWith('='));
    }
}
