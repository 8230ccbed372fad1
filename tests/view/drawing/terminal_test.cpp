#include "view/drawing/terminal.hpp"

#include <algorithm>
#include <sstream>

#include "support/strand.hpp"
#include "view/drawing/layout.hpp"

namespace zerobeat::testing {

namespace {

using detail::AxisTick, detail::BoxShape, detail::Drawing, detail::HeatShape, detail::Mark,
    detail::Panel, detail::PointShape, detail::terminal_text;

std::vector<std::string> rows_of(const std::string& text) {
  std::vector<std::string> rows;
  std::istringstream lines(text);
  for (std::string row; std::getline(lines, row);) rows.push_back(row);
  return rows;
}

std::size_t letters_in(const std::string& text, const std::string& part) {
  std::size_t n = 0;
  for (std::size_t at = text.find(part); at != std::string::npos; at = text.find(part, at + 1)) ++n;
  return n;
}

Panel unit_panel() {
  Panel panel;
  panel.x.high = panel.y.high = 1;
  panel.x.ticks = panel.y.ticks = [](int) { return std::vector<AxisTick>(); };
  return panel;
}

Drawing of(Panel panel) {
  Drawing drawing;
  drawing.rows.push_back({{std::move(panel)}});
  return drawing;
}

}  // namespace

TEST_CASE("in a terminal a bar is filled letters, as high as its value", "[terminal]") {
  Panel panel = unit_panel();
  panel.shapes.push_back({BoxShape{.boxes = {{0, 0.5, 0, 1}, {0.5, 1, 0, 0.5}}, .ink = "#105a99"},
                          "kg", false, false});
  const std::string text = terminal_text(of(panel), 40, 20, false);
  const std::string block = "█";
  const auto rows = rows_of(text);
  std::size_t least = 100, most = 0;
  for (const auto& row : rows) {
    const std::size_t blocks = letters_in(row, block);
    if (blocks == 0) continue;
    least = std::min(least, blocks);
    most = std::max(most, blocks);
  }
  // The upper half holds one bar, the lower one both.
  CHECK(most >= 2 * least - 2);
  CHECK(most <= 2 * least + 2);
  CHECK(text.find('\x1b') == std::string::npos);
}

TEST_CASE("in a terminal a heat map is shades without color, and color with it", "[terminal]") {
  Panel panel = unit_panel();
  panel.scale = detail::ColorScale{0, 1, "level (m)"};
  panel.shapes.push_back(
      {HeatShape{.boxes = {{0, 0.5, 0, 1}, {0.5, 1, 0, 1}}, .values = {0, 1}}, "", false, false});
  const std::string plain = terminal_text(of(panel), 60, 20, false);
  CHECK_THAT(plain, Catch::Contains("░") && Catch::Contains("█") && !Catch::Contains("\x1b"));
  const std::string colored = terminal_text(of(panel), 60, 20, true);
  CHECK_THAT(colored, !Catch::Contains("░") && Catch::Contains("\x1b[38;5;"));
  // Every row that begins a color ends it.
  for (const auto& row : rows_of(colored)) {
    if (row.find("\x1b[38;5;") != std::string::npos) CHECK_THAT(row, Catch::EndsWith("\x1b[0m"));
  }
}

TEST_CASE("in a terminal marks are letters, at their places", "[terminal]") {
  Panel panel = unit_panel();
  panel.shapes.push_back(
      {PointShape{.points = {{0, 1}}, .ink = "#b03a1e", .mark = Mark::up, .size = 10}, "", false,
       false});
  panel.shapes.push_back(
      {PointShape{.points = {{1, 0}}, .ink = "#b03a1e", .mark = Mark::ring, .size = 10}, "", false,
       false});
  const auto rows = rows_of(terminal_text(of(panel), 40, 12, false));
  const auto row_of = [&](const char* letter) {
    const auto at = std::ranges::find_if(
        rows, [&](const std::string& row) { return row.find(letter) != std::string::npos; });
    REQUIRE(at != rows.end());
    return at - rows.begin();
  };
  CHECK(row_of("▲") < row_of("○"));
  const auto& high = rows[static_cast<std::size_t>(row_of("▲"))];
  const auto& low = rows[static_cast<std::size_t>(row_of("○"))];
  CHECK(high.find("▲") < low.find("○"));
}

TEST_CASE("in a terminal an area is dotted all the way between its rows", "[terminal]") {
  // A wedge from a point at the left to the whole height at the right, of two rows alone.
  Panel panel = unit_panel();
  panel.shapes.push_back(
      {detail::AreaShape{.stretches = {{{0, 0.5, 0.5}, {1, 0, 1}}}, .ink = "#105a99"}, "band",
       false, false});
  const std::string text = terminal_text(of(panel), 40, 20, false);
  // Braille cells that hold a dot, column by column.
  std::vector<std::size_t> cells(40, 0);
  for (const auto& row : rows_of(text)) {
    std::size_t column = 0;
    for (std::size_t at = 0; at < row.size(); ++column) {
      const auto byte = static_cast<unsigned char>(row[at]);
      const std::size_t length = byte < 0x80 ? 1 : byte < 0xe0 ? 2 : byte < 0xf0 ? 3 : 4;
      const std::string letter = row.substr(at, length);
      const bool is_dotted = letter > "\u2800" && letter <= "\u28ff";
      if (is_dotted && column < cells.size()) ++cells[column];
      at += length;
    }
  }
  const auto first = std::ranges::find_if(cells, [](std::size_t n) { return n > 0; });
  std::size_t columns = 0, before = 0;
  for (auto at = first; at != cells.end() && *at > 0; ++at, ++columns) {
    CHECK(*at + 1 >= before);
    before = *at;
  }
  CHECK(columns >= 30);
  CHECK(before >= 10);
}

}  // namespace zerobeat::testing
