using Weiche.Core.Studios;

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
        Assert.Equal(route, $"{best.From.Name} → {best.To.Name}");
    }

    [Theory]
    [InlineData("")]
    [InlineData("   ")]
    [InlineData("xyz")]
    [InlineData("am bra")]
    [InlineData("a b c d e f g h i j k l m n o p")]
    public void Letters_that_mean_nothing_new_find_nothing(string letters) =>
        Assert.Empty(RouteSearch.Find(SmallStudio.Create(), letters));

    [Fact]
    public void A_source_alone_offers_every_destination_it_does_not_reach_yet()
    {
        var found = RouteSearch.Find(SmallStudio.Create(), "amsel");
        Assert.Equal(["Himmel", "Bandhaus line"], found.Select(match => match.To.Name));
    }
}
