using System.Reflection.Metadata;
using System.Reflection.PortableExecutable;
using ArchUnitNET.Domain;
using ArchUnitNET.Loader;
using Weiche.Core.Midi;
using Weiche.Data;
using Weiche.Files;
using Weiche.Ports;
using Weiche.Ports.Carrying;
using Weiche.Web.Desk;
using static ArchUnitNET.Fluent.ArchRuleDefinition;
using Assembly = System.Reflection.Assembly;

namespace Weiche.Web.Tests;

/// <summary>Imports run downward only: Web → Data, Ports, Files → Core, and within each from the upper rooms to the lower ones.</summary>
public class ImportRuleTests
{
    private static readonly Assembly Core = typeof(MidiMessage).Assembly;
    private static readonly Assembly Files = typeof(StudioJson).Assembly;
    private static readonly Assembly Ports = typeof(Junction).Assembly;
    private static readonly Assembly Data = typeof(StudioStore).Assembly;
    private static readonly Assembly Web = typeof(StudioDesk).Assembly;
    private static readonly Architecture House = new ArchLoader().LoadAssemblies(Core, Files, Ports, Data, Web).Build();

    public static TheoryData<string, string[]> Rules =>
        new()
        {
            { "Weiche.Core", ["Weiche.Files", "Weiche.Ports", "Weiche.Data", "Weiche.Web"] },
            { "Weiche.Files", ["Weiche.Ports", "Weiche.Data", "Weiche.Web"] },
            { "Weiche.Ports", ["Weiche.Files", "Weiche.Data", "Weiche.Web"] },
            { "Weiche.Data", ["Weiche.Files", "Weiche.Ports", "Weiche.Web"] },
        };

    /// <summary>The rooms of a project from the lowest to the highest. Those in one row stand beside each other; a room may use what stands
    /// in the rows before its own, and nothing else. What lies in no room is the project's own threshold, above all of them.</summary>
    private static readonly (string Project, string[][] Rows)[] Rooms =
    [
        (
            "Weiche.Core",
            [
                ["Midi"],
                ["Pulse"],
                ["Sets"],
                ["Stages"],
                ["Studios"],
                ["Studios.Edits"],
                ["Takes"],
                ["Live", "Ways"],
                ["Checks", "Layout"],
            ]
        ),
        (
            "Weiche.Ports",
            [
                ["Carrying"],
                ["Raw", "StandIns", "Virtual", "Outside", "Browser"],
            ]
        ),
        (
            "Weiche.Web",
            [
                ["Desk"],
                ["Live"],
                ["Pages"],
                ["Startup"],
            ]
        ),
    ];

    public static TheoryData<string, string, string[]> RoomRules
    {
        get
        {
            var rules = new TheoryData<string, string, string[]>();
            foreach (var (project, rows) in Rooms)
            {
                for (var row = 0; row < rows.Length; row++)
                {
                    foreach (var room in rows[row])
                        rules.Add(project, room, [.. rows[row..].SelectMany(each => each).Where(other => other != room)]);
                }
            }
            return rules;
        }
    }

    [Theory]
    [MemberData(nameof(RoomRules))]
    public void A_room_does_not_know_what_stands_beside_or_above_it(string project, string room, string[] unknown)
    {
        var inside = Types().That().ResideInNamespaceMatching(Inside(project, room));
        Assert.NotEmpty(inside.GetObjects(House));
        foreach (var other in unknown)
        {
            var broken = inside
                .Should()
                .NotDependOnAny(Types().That().ResideInNamespaceMatching(Inside(project, other)))
                .Evaluate(House)
                .Where(result => !result.Passed);
            Assert.True(
                !broken.Any(),
                $"{project}.{room} uses {project}.{other}: {string.Join("; ", broken.Select(result => result.Description))}"
            );
        }
    }

    [Fact]
    public void Every_type_of_the_core_lies_in_a_room()
    {
        foreach (var (project, rows) in Rooms.Where(each => each.Project == "Weiche.Core"))
        {
            var known = rows.SelectMany(row => row).Select(room => $"{project}.{room}").ToHashSet();
            var strays = House.Types.Where(type =>
                type.Namespace.FullName.StartsWith(project + ".", StringComparison.Ordinal) && !known.Contains(type.Namespace.FullName)
            );
            Assert.Empty(strays.Select(type => type.FullName));
        }
    }

    /// <summary>The types of one room; those of a room within it (Studios.Edits) are not among them.</summary>
    private static string Inside(string project, string room) => $"^{project}.{room}$".Replace(".", @"\.", StringComparison.Ordinal);

    [Theory]
    [MemberData(nameof(Rules))]
    public void A_project_does_not_know_what_stands_beside_or_above_it(string project, string[] unknown)
    {
        foreach (var other in unknown)
        {
            var rule = Types()
                .That()
                .ResideInNamespaceMatching($@"^{project}(\.|$)")
                .Should()
                .NotDependOnAny(Types().That().ResideInNamespaceMatching($@"^{other}(\.|$)"));
            Assert.True(rule.HasNoViolations(House), $"{project} uses {other}");
        }
    }

    [Fact]
    public void The_core_knows_no_web_no_database_and_no_clock()
    {
        var references = Core.GetReferencedAssemblies().Select(name => name.Name!).ToList();
        Assert.DoesNotContain(references, name => name.StartsWith("Microsoft.", StringComparison.Ordinal));
        Assert.DoesNotContain(references, name =>
            name is "System.Net.Http" or "System.Console" or "System.IO.FileSystem" or "System.Net.Sockets"
        );
        using var file = new PEReader(System.IO.File.OpenRead(Core.Location));
        var metadata = file.GetMetadataReader();
        var used = metadata.TypeReferences.Select(metadata.GetTypeReference).Select(type => metadata.GetString(type.Name)).ToHashSet();
        foreach (var clock in (string[])["DateTime", "DateTimeOffset", "TimeProvider", "Stopwatch", "Timer", "Thread"])
            Assert.DoesNotContain(clock, used);
        // The compiler has each iterator ask which thread it is on; nothing else of the environment is asked for.
        var asked = metadata
            .MemberReferences.Select(metadata.GetMemberReference)
            .Where(member =>
                member.Parent.Kind == HandleKind.TypeReference
                && metadata.GetString(metadata.GetTypeReference((TypeReferenceHandle)member.Parent).Name) == "Environment"
            )
            .Select(member => metadata.GetString(member.Name));
        Assert.Equal(["get_CurrentManagedThreadId"], asked);
        Assert.Contains("ImmutableArray`1", used);
    }

    [Fact]
    public void The_rule_can_be_broken_and_would_be_seen()
    {
        var wrong = Types()
            .That()
            .ResideInNamespaceMatching(@"^Weiche\.Web")
            .Should()
            .NotDependOnAny(Types().That().ResideInNamespaceMatching(@"^Weiche\.Core"));
        Assert.False(wrong.HasNoViolations(House));
    }
}
