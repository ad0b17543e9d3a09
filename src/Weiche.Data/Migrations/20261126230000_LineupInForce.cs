using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Weiche.Data.Migrations
{
    /// <inheritdoc />
    public partial class LineupInForce : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<int>(
                name: "Lineup",
                table: "Studios",
                type: "INTEGER",
                nullable: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "Lineup",
                table: "Studios");
        }
    }
}
