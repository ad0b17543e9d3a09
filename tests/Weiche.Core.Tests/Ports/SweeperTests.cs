using Weiche.Ports.Carrying;

namespace Weiche.Core.Tests.Ports;

/// <summary>What is not used any more is collected between two pieces of work, and not within one.</summary>
public class SweeperTests
{
    [Fact]
    public void Nothing_is_swept_while_work_is_under_way_and_what_it_left_is_swept_right_after()
    {
        using var sweeper = new Sweeper(asksForUrgency: false);
        using (sweeper.Work())
        {
            using (sweeper.Work())
            {
                for (var i = 0; i < 80; i++)
                    GC.KeepAlive(new byte[1 << 20]);
            }
            // Longer than it takes to look.
            Thread.Sleep(400);
            Assert.Equal(0, sweeper.Times);
        }
        Assert.True(SpinWait.SpinUntil(() => sweeper.Times > 0, TimeSpan.FromSeconds(10)));
    }
}
