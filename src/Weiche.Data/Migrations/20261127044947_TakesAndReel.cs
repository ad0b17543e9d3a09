using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Weiche.Data.Migrations
{
    /// <inheritdoc />
    public partial class TakesAndReel : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<int>(
                name: "ReelMinutes",
                table: "Studios",
                type: "INTEGER",
                nullable: false,
                defaultValue: 30);

            migrationBuilder.AddColumn<DateTime>(
                name: "SheetAt",
                table: "Studios",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "SheetVersion",
                table: "Studios",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "Takes",
                columns: table => new
                {
                    Id = table.Column<int>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    StudioId = table.Column<int>(type: "INTEGER", nullable: false),
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    At = table.Column<DateTime>(type: "TEXT", nullable: false),
                    Begin = table.Column<long>(type: "INTEGER", nullable: false),
                    End = table.Column<long>(type: "INTEGER", nullable: false),
                    File = table.Column<string>(type: "TEXT", nullable: true),
                    Steps = table.Column<string>(type: "TEXT", nullable: false),
                    Place = table.Column<int>(type: "INTEGER", nullable: false),
                    Told = table.Column<string>(type: "TEXT", nullable: false),
                    IsGone = table.Column<bool>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Takes", x => x.Id);
                    table.ForeignKey(
                        name: "FK_Takes_Studios_StudioId",
                        column: x => x.StudioId,
                        principalTable: "Studios",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "Pages",
                columns: table => new
                {
                    Id = table.Column<int>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    StudioId = table.Column<int>(type: "INTEGER", nullable: false),
                    TakeId = table.Column<int>(type: "INTEGER", nullable: true),
                    Begin = table.Column<long>(type: "INTEGER", nullable: false),
                    End = table.Column<long>(type: "INTEGER", nullable: false),
                    Count = table.Column<int>(type: "INTEGER", nullable: false),
                    Ports = table.Column<string>(type: "TEXT", nullable: false),
                    Data = table.Column<byte[]>(type: "BLOB", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Pages", x => x.Id);
                    table.ForeignKey(
                        name: "FK_Pages_Studios_StudioId",
                        column: x => x.StudioId,
                        principalTable: "Studios",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "FK_Pages_Takes_TakeId",
                        column: x => x.TakeId,
                        principalTable: "Takes",
                        principalColumn: "Id");
                });

            migrationBuilder.CreateIndex(
                name: "IX_Pages_StudioId_TakeId_End",
                table: "Pages",
                columns: new[] { "StudioId", "TakeId", "End" });

            migrationBuilder.CreateIndex(
                name: "IX_Pages_TakeId",
                table: "Pages",
                column: "TakeId");

            migrationBuilder.CreateIndex(
                name: "IX_Takes_StudioId",
                table: "Takes",
                column: "StudioId");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "Pages");

            migrationBuilder.DropTable(
                name: "Takes");

            migrationBuilder.DropColumn(
                name: "ReelMinutes",
                table: "Studios");

            migrationBuilder.DropColumn(
                name: "SheetAt",
                table: "Studios");

            migrationBuilder.DropColumn(
                name: "SheetVersion",
                table: "Studios");
        }
    }
}
