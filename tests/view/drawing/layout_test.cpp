#include "view/drawing/layout.hpp"

#include <algorithm>
#include <random>

#include "support/strand.hpp"
#include "view/drawing/terminal.hpp"

namespace zerobeat::testing {

namespace {

using detail::AxisTick, detail::box_of, detail::changed_ink, detail::cut_to, detail::Drawing,
    detail::drawn_text, detail::ink, detail::Label, detail::lay_out, detail::PlacedDrawing,
    detail::LineShape, detail::log_ticks, detail::Metrics, detail::overlap, detail::Panel,
    detail::picture_metrics, detail::PlacedPanel, detail::PlacedText, detail::round_ticks,
    detail::soft_ink, detail::terminal_text, detail::TextBox;

/// A panel of lines with long names, means within a pixel of each other, and labels everywhere.
Panel crowded(std::mt19937& random, std::size_t lines) {
  Panel panel;
  panel.title = "cold store, " + std::string(random() % 60, 'w');
  panel.x.high = 1000;
  panel.y.high = 10;
  panel.y.name = "temperature (°C)";
  panel.x.name = "UTC";
  for (std::size_t n = 0; n < lines; ++n) {
    LineShape line{.ink = ink(n)};
    line.stretches = {{{0, 1}, {1000, 9}}};
    panel.shapes.push_back({line, fmt::format("probe_{}_{}", n, std::string(random() % 90, 'x'))});
    panel.labels.push_back({fmt::format("mean {}", n), 0, 5 + 0.001 * static_cast<double>(n),
                            ink(n), Label::Where::right});
  }
  for (int n = 0; n < 3; ++n) {
    panel.labels.push_back(
        {"clocks go back 1 h", 400.0 + 10 * n, 0, soft_ink, Label::Where::above});
  }
  for (int n = 0; n < 20; ++n) {
    panel.labels.push_back({fmt::format("{}.5", n), static_cast<double>(random() % 1000), 10,
                            changed_ink, Label::Where::inside});
  }
  return panel;
}

std::vector<std::string> overlaps(const PlacedDrawing& layout, const Metrics& metrics) {
  std::vector<std::string> found;
  for (std::size_t i = 0; i < layout.texts.size(); ++i) {
    for (std::size_t j = 0; j < i; ++j) {
      TextBox a = box_of(layout.texts[i], metrics), b = box_of(layout.texts[j], metrics);
      // Lines of text stand on each other's edge.
      a.top += 0.5, a.bottom -= 0.5;
      if (overlap(a, b)) found.push_back(layout.texts[i].text + " on " + layout.texts[j].text);
    }
  }
  return found;
}

}  // namespace

TEST_CASE("no text of a picture lies on another, nor beyond the edge", "[layout]") {
  std::mt19937 random(411);
  for (int again = 0; again < 40; ++again) {
    Drawing drawing;
    drawing.title = "Ice store";
    drawing.subtitle = "one week";
    const std::size_t panels = 1 + random() % 4;
    for (std::size_t p = 0; p < panels; ++p) {
      if (p % 2 == 0) drawing.rows.emplace_back();
      drawing.rows.back().panels.push_back(crowded(random, 1 + random() % 9));
    }
    const Metrics metrics = picture_metrics();
    const PlacedDrawing layout = lay_out(drawing, 1280, 800, metrics);
    INFO(panels);
    CHECK(overlaps(layout, metrics) == std::vector<std::string>());
    for (const PlacedText& text : layout.texts) {
      const TextBox box = box_of(text, metrics);
      INFO(text.text);
      CHECK(box.left >= -1);
      CHECK(box.right <= 1281);
      CHECK(box.top >= -1);
      CHECK(box.bottom <= 801);
    }
    for (const PlacedPanel& panel : layout.panels) {
      CHECK(panel.left < panel.right);
      CHECK(panel.top < panel.bottom);
    }
  }
}

TEST_CASE("means that are near each other have labels that stand apart, in their order",
          "[layout]") {
  std::mt19937 random(412);
  Drawing drawing;
  drawing.rows.push_back({{crowded(random, 3)}});
  const PlacedDrawing layout = lay_out(drawing, 1280, 800, picture_metrics());
  std::vector<double> heights;
  for (const char* name : {"mean 2", "mean 1", "mean 0"}) {
    const auto at = std::ranges::find(layout.texts, name, &PlacedText::text);
    REQUIRE(at != layout.texts.end());
    heights.push_back(at->y);
  }
  CHECK(heights[1] - heights[0] == Approx(picture_metrics().line));
  CHECK(heights[2] - heights[1] == Approx(picture_metrics().line));
  // Their middle is where the means are.
  CHECK(heights[1] == Approx(layout.panels[0].y(5.001)).margin(1));
}

TEST_CASE("long names are cut in their middle, and many names counted", "[layout]") {
  const Metrics metrics = picture_metrics();
  const std::string cut =
      cut_to("a_very_long_name_of_a_column_that_ends_in_metres_m", 160, metrics);
  CHECK(metrics.width(cut) <= 160);
  CHECK_THAT(cut, Catch::StartsWith("a_very") && Catch::EndsWith("res_m") && Catch::Contains("…"));
  CHECK(cut_to("level_m", 160, metrics) == "level_m");
  std::mt19937 random(413);
  Drawing drawing;
  drawing.rows.push_back({{crowded(random, 200)}});
  const PlacedDrawing layout = lay_out(drawing, 1280, 800, metrics);
  const auto more = std::ranges::find_if(
      layout.texts, [](const PlacedText& text) { return text.text.ends_with(" more"); });
  REQUIRE(more != layout.texts.end());
  // All names are in the key or counted.
  CHECK(std::stoul(more->text.substr(4)) + layout.samples.size() == 200);
}

TEST_CASE("ticks are round numbers within the axis, few enough", "[ticks]") {
  const auto texts = [](const std::vector<AxisTick>& ticks) {
    std::vector<std::string> out;
    for (const AxisTick& tick : ticks) out.push_back(tick.text);
    return out;
  };
  CHECK(texts(round_ticks(0.3, 4.9, 5)) == std::vector<std::string>{"1", "2", "3", "4"});
  CHECK(texts(round_ticks(-0.25, 0.25, 5)) ==
        std::vector<std::string>{"-0.2", "-0.1", "0", "0.1", "0.2"});
  CHECK(texts(round_ticks(0, 600'000, 3)) ==
        std::vector<std::string>{"0", "200,000", "400,000", "600,000"});
  CHECK(texts(log_ticks(0.8, 120, 8)) ==
        std::vector<std::string>{"1", "2", "5", "10", "20", "50", "100"});
  CHECK(texts(log_ticks(1, 1e8, 5)) ==
        std::vector<std::string>{"1", "100", "10,000", "1e+06", "1e+08"});
  std::mt19937 random(414);
  for (int again = 0; again < 2'000; ++again) {
    const double start = static_cast<double>(random() % 2000) - 1000;
    const double low = std::ldexp(start, static_cast<int>(random() % 60) - 30);
    const double length = 1.0 + static_cast<double>(random() % 1000);
    const double high = low + std::ldexp(length, static_cast<int>(random() % 60) - 30);
    const int most = 1 + static_cast<int>(random() % 12);
    if (!(high > low)) continue;
    for (const AxisTick& tick : round_ticks(low, high, most)) {
      CHECK(tick.at >= low - 1e-6 * (high - low));
      CHECK(tick.at <= high + 1e-6 * (high - low));
    }
    CHECK(round_ticks(low, high, most).size() <= static_cast<std::size_t>(most) + 2);
  }
}

TEST_CASE("in a terminal a line is braille dots from corner to corner", "[terminal]") {
  Drawing drawing;
  Panel panel;
  panel.x.high = panel.y.high = 1;
  LineShape line{.ink = ink(0)};
  line.stretches = {{{0, 0}, {1, 1}}};
  panel.shapes.push_back({line, "level_m"});
  drawing.rows.push_back({{panel}});
  const std::string text = terminal_text(drawing, 40, 12, false);
  CHECK(std::ranges::count(text, '\n') == 12);
  CHECK_THAT(text, Catch::Contains("level_m") && Catch::Contains("└") && Catch::Contains("⡠⠔"));
  CHECK(text.find('\x1b') == std::string::npos);
  // Upwards to the right: no dot of a lower row stands right of one of a higher row.
  std::vector<std::string> rows;
  std::istringstream lines(text);
  for (std::string row; std::getline(lines, row);) rows.push_back(row);
  std::size_t dotted = 0;
  for (const auto& row : rows)
    dotted += row.find("\xe2\xa0") != std::string::npos ||
              row.find("\xe2\xa1") != std::string::npos ||
              row.find("\xe2\xa2") != std::string::npos;
  CHECK(dotted >= 8);
  CHECK_THAT(terminal_text(drawing, 40, 12, true), Catch::Contains("\x1b[38;5;"));
}

TEST_CASE("what controls a terminal or turns text is written out in pictures", "[layout]") {
  CHECK(drawn_text("a\x1b[2Jb") == "a\\u001b[2Jb");
  CHECK(drawn_text("a\xe2\x80\xae"
                   "b") == "a\\u202eb");
  CHECK(drawn_text("]]> `x` <b>") == "]]> `x` <b>");
}

}  // namespace zerobeat::testing
