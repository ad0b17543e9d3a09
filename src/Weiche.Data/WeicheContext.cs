using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Design;

namespace Weiche.Data;

/// <summary>A studio as the database knows it.</summary>
public sealed class StudioRow
{
    /// <summary>Its key.</summary>
    public int Id { get; set; }

    /// <summary>Its name.</summary>
    public required string Name { get; set; }

    /// <summary>The number of the version that is in force.</summary>
    public int CurrentVersion { get; set; }

    /// <summary>A number above every id that any of its versions uses; 0 where that is not known yet.</summary>
    public int NextId { get; set; }

    /// <summary>The lineup that was in force last; null if none was.</summary>
    public int? Lineup { get; set; }

    /// <summary>How far its reel goes back, in minutes; 0 if it keeps none.</summary>
    public int ReelMinutes { get; set; } = UsualReelMinutes;

    /// <summary>The version of it that the sheet for the wall was last printed from; null if it never was.</summary>
    public int? SheetVersion { get; set; }

    /// <summary>When that was, UTC.</summary>
    public DateTime? SheetAt { get; set; }

    /// <summary>How far a reel goes back unless set otherwise, in minutes.</summary>
    public const int UsualReelMinutes = 30;

    /// <summary>When it was last chosen, UTC; the beginning of time if it never was.</summary>
    public DateTime OpenedAt { get; set; }
}

/// <summary>A studio as it was after one edit.</summary>
public sealed class VersionRow
{
    /// <summary>The studio's key.</summary>
    public int StudioId { get; set; }

    /// <summary>Counts up by one with each edit of the studio.</summary>
    public int Version { get; set; }

    /// <summary>The version that the edit was made on; null for the first.</summary>
    public int? Parent { get; set; }

    /// <summary>The version that was in force last of those made on this one: where redo leads. Null if there is none.</summary>
    public int? Next { get; set; }

    /// <summary>The edit in words.</summary>
    public required string Edit { get; set; }

    /// <summary>When it was made, UTC.</summary>
    public DateTime At { get; set; }

    /// <summary>The studio after it, in the product's own JSON; or what differs from that of <see cref="Base"/>.</summary>
    public required string Document { get; set; }

    /// <summary>The version from which the document differs as it says; null where it stands whole.</summary>
    public int? Base { get; set; }

    /// <summary>How much there is to put together, from the last whole document on, in characters; 0 for a whole one.</summary>
    public int Weight { get; set; }
}

/// <summary>How many changes were ever written to the database: its only row.</summary>
public sealed class CountRow
{
    /// <summary>Always 1.</summary>
    public int Id { get; set; }

    /// <summary>How many: edits, steps in the history, studios that were added and removed.</summary>
    public int Changes { get; set; }
}

/// <summary>The database: studios, and every version of each.</summary>
/// <param name="options">Where it is.</param>
public sealed class WeicheContext(DbContextOptions<WeicheContext> options) : DbContext(options)
{
    /// <summary>The studios.</summary>
    public DbSet<StudioRow> Studios => Set<StudioRow>();

    /// <summary>Their versions.</summary>
    public DbSet<VersionRow> Versions => Set<VersionRow>();

    /// <summary>The takes.</summary>
    public DbSet<TakeRow> Takes => Set<TakeRow>();

    /// <summary>Pages of tapes.</summary>
    public DbSet<PageRow> Pages => Set<PageRow>();

    /// <summary>How many changes there were.</summary>
    public DbSet<CountRow> Counts => Set<CountRow>();

    /// <inheritdoc/>
    protected override void OnModelCreating(ModelBuilder modelBuilder)
    {
        modelBuilder.Entity<StudioRow>().HasIndex(row => row.Name).IsUnique();
        modelBuilder.Entity<CountRow>().HasData(new CountRow { Id = 1 });
        modelBuilder.Entity<VersionRow>().HasKey(row => new { row.StudioId, row.Version });
        modelBuilder.Entity<VersionRow>().HasOne<StudioRow>().WithMany().HasForeignKey(row => row.StudioId);
        modelBuilder.Entity<StudioRow>().Property(row => row.ReelMinutes).HasDefaultValue(StudioRow.UsualReelMinutes).HasSentinel(-1);
        modelBuilder.Entity<TakeRow>().HasOne<StudioRow>().WithMany().HasForeignKey(row => row.StudioId);
        modelBuilder.Entity<PageRow>().HasOne<StudioRow>().WithMany().HasForeignKey(row => row.StudioId);
        modelBuilder.Entity<PageRow>().HasOne<TakeRow>().WithMany().HasForeignKey(row => row.TakeId);
        modelBuilder
            .Entity<PageRow>()
            .HasIndex(row => new
            {
                row.StudioId,
                row.TakeId,
                row.End,
            });
    }
}

/// <summary>Makes a context for the tool that writes migrations. It never opens a database.</summary>
internal sealed class DesignTimeFactory : IDesignTimeDbContextFactory<WeicheContext>
{
    public WeicheContext CreateDbContext(string[] args) =>
        new(new DbContextOptionsBuilder<WeicheContext>().UseSqlite("Data Source=:memory:").Options);
}
