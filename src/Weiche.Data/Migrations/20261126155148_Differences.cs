using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Weiche.Data.Migrations
{
    /// <inheritdoc />
    public partial class Differences : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<int>(
                name: "Base",
                table: "Versions",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "Weight",
                table: "Versions",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0);

            migrationBuilder.CreateTable(
                name: "Counts",
                columns: table => new
                {
                    Id = table.Column<int>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Changes = table.Column<int>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Counts", x => x.Id);
                });

            migrationBuilder.InsertData(
                table: "Counts",
                columns: new[] { "Id", "Changes" },
                values: new object[] { 1, 0 });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "Counts");

            migrationBuilder.DropColumn(
                name: "Base",
                table: "Versions");

            migrationBuilder.DropColumn(
                name: "Weight",
                table: "Versions");
        }
    }
}
