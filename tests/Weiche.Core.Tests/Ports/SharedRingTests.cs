using System.Text;
using CsCheck;
using Weiche.Bridge.Shared;

namespace Weiche.Core.Tests.Ports;

public sealed class SharedRingTests
{
    private static readonly Gen<byte[]> AnyBytes = Gen.OneOf(Gen.Byte.Array[0, 40], Gen.Int[0, 16_384].Select(length => new byte[length]));

    [Fact]
    public void What_goes_in_comes_out_in_order_whole_or_not_at_all()
    {
        using var link = SharedLink.Create(out var path);
        using var far = SharedLink.Open(path);
        Gen.Select(Gen.Bool, Gen.Int, Gen.Long, AnyBytes)
            .Array[1, 400]
            .Sample(
                steps =>
                {
                    far.In.Clear();
                    var waiting = new Queue<(int, long, byte[])>();
                    foreach (var (writes, port, time, bytes) in steps)
                    {
                        if (writes)
                        {
                            if (link.In.TryWrite(port, time, bytes))
                                waiting.Enqueue((port, time, bytes));
                            else
                                Assert.True(SharedRing.Capacity - link.In.Count < bytes.Length + 24);
                            continue;
                        }
                        Assert.Equal(waiting.Count > 0, far.In.TryPeek(out var head));
                        if (waiting.Count == 0)
                            continue;
                        var read = new byte[head.Length];
                        far.In.Copy(head, read);
                        far.In.Take(head);
                        Assert.Equal(waiting.Dequeue(), (head.Port, head.Time, read), (one, other) =>
                            one.Item1 == other.Item1 && one.Item2 == other.Item2 && one.Item3.AsSpan().SequenceEqual(other.Item3)
                        );
                    }
                },
                iter: 300,
                threads: 1
            );
    }

    [Fact]
    public async Task One_writes_while_another_reads_and_nothing_is_lost_or_torn()
    {
        const int Many = 200_000;
        using var link = SharedLink.Create(out var path);
        using var far = SharedLink.Open(path);
        var reader = Task.Run(
            () =>
            {
                var bytes = new byte[64];
                for (var next = 0; next < Many;)
                {
                    while (far.In.TryPeek(out var head))
                    {
                        far.In.Copy(head, bytes);
                        far.In.Take(head);
                        Assert.Equal((next, next * 3L, next % 60), (head.Port, head.Time, head.Length));
                        Assert.Equal(-1, bytes.AsSpan(0, head.Length).IndexOfAnyExcept((byte)next));
                        next++;
                    }
                    far.In.Wait(1_000);
                }
            },
            TestContext.Current.CancellationToken
        );
        var sent = new byte[64];
        for (var i = 0; i < Many; i++)
        {
            sent.AsSpan().Fill((byte)i);
            while (!link.In.TryWrite(i, i * 3L, sent.AsSpan(0, i % 60)))
                Thread.Yield();
            if (i % 7 == 0)
                link.In.Wake();
        }
        link.In.Wake();
        await reader.WaitAsync(TimeSpan.FromSeconds(60), TestContext.Current.CancellationToken);
    }

    [Fact]
    public void Its_file_is_gone_with_it()
    {
        string path;
        using (SharedLink.Create(out path))
        {
            SharedLink.Open(path).Dispose();
            Assert.Empty(Directory.GetFiles("/dev/shm", $"weiche-{Environment.ProcessId}-*"));
        }
        Assert.ThrowsAny<Exception>(() => SharedLink.Open(path));
    }

    [Fact]
    public void A_name_of_any_bytes_is_one_word_and_comes_back()
    {
        Gen.Byte.Array[0, 60]
            .Sample(bytes =>
            {
                var word = Line.Word(bytes);
                Assert.DoesNotContain(' ', word);
                Assert.NotEmpty(word);
                Assert.Equal(bytes, Line.Bytes(word));
            });
        Assert.Equal("Größe 50 %", Line.Text(Line.Word("Größe 50 %")));
        Assert.Equal("a", Encoding.UTF8.GetString(Line.Bytes("a%")));
    }
}
