using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Tests.Studios;

public class RouteSearchTests
{
    [Theory]
    [InlineData("am him", "Amsel 61 → Himmel")]
    [InlineData("amsel 61 himmel", "Amsel 61 → Himmel")]
    [InlineData("AMSEL → band", "Amsel 61 → Bandhaus line")]
    [InlineData("bra to him", "Brandung → Himmel")]
    [InlineData("tr ban", "Tritt 13 → Bandhaus line")]
    [InlineData("keys to stars ban", "keys to stars → Bandhaus line")]
    public void A_few_letters_of_each_name_a_route(string letters, string route)
    {
        var best = RouteSearch.Find(SmallStudio.Create(), letters)[0];
        Assert.Equal(route, $"{best.FromName} → {best.ToName}");
    }

    [Theory]
    [InlineData("any zinn", "any source → Zinn", "")]
    [InlineData("any source to himmel", "any source → Himmel", "")]
    [InlineData("amsel pauk", "Amsel 61 → Paukenkiste", "by Zinn’s wire, ch 1 → 10")]
    [InlineData("kies pauk", "Kies → Paukenkiste", "by Zinn’s wire")]
    [InlineData("another amsel zinn", "Amsel 61 → Zinn", "another")]
    public void Any_source_what_hangs_behind_a_thru_and_another_beside_one_are_found(string letters, string route, string note)
    {
        var dome = Weiche.Files.DemoStudio.Create();
        if (letters.Contains("pauk", StringComparison.Ordinal))
            dome = dome
                .Routes.Where(each => dome.FindPort(each.To)!.Value.Name == "Zinn")
                .Aggregate(dome, (studio, each) => studio.Must(new RemoveRoute(each.Id)));
        var best = RouteSearch.Find(dome, letters)[0];
        Assert.Equal((route, note), ($"{best.FromName} → {best.ToName}", best.Note));
        var laid = dome.Must(best.Edit);
        Assert.Equal(dome.Routes.Length + 1, laid.Routes.Length);
    }

    [Fact]
    public void What_is_called_just_so_is_meant_before_what_begins_so()
    {
        var studio = Rooms.Of("Zinn 2", "Zinn", "keys");
        Assert.Equal("Zinn", RouteSearch.Find(studio, "keys zinn")[0].ToName);
        Assert.Equal("Zinn 2", RouteSearch.Find(studio, "keys zinn 2")[0].ToName);
    }

    [Theory]
    [InlineData("")]
    [InlineData("   ")]
    [InlineData("xyz")]
    [InlineData("am bra")]
    [InlineData("a b c d e f g h i j k l m n o p")]
    public void Letters_that_mean_nothing_new_find_nothing(string letters) => Assert.Empty(RouteSearch.Find(SmallStudio.Create(), letters));

    [Fact]
    public void A_source_alone_offers_every_destination_it_does_not_reach_yet()
    {
        var found = RouteSearch.Find(SmallStudio.Create(), "amsel");
        Assert.Equal(["Himmel", "Bandhaus line"], found.Select(match => match.ToName));
    }
}
