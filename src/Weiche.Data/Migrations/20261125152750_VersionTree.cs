using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Weiche.Data.Migrations
{
    /// <inheritdoc />
    public partial class VersionTree : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<int>(
                name: "Next",
                table: "Versions",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "Parent",
                table: "Versions",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "NextId",
                table: "Studios",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0);

            // Up to now every version was made on the one before it.
            migrationBuilder.Sql("UPDATE Versions SET Parent = Version - 1 WHERE Version > 1");
            migrationBuilder.Sql(
                "UPDATE Versions SET Next = Version + 1 WHERE EXISTS (SELECT 1 FROM Versions AS Later WHERE Later.StudioId = Versions.StudioId AND Later.Version = Versions.Version + 1)");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "Next",
                table: "Versions");

            migrationBuilder.DropColumn(
                name: "Parent",
                table: "Versions");

            migrationBuilder.DropColumn(
                name: "NextId",
                table: "Studios");
        }
    }
}
