#include <algorithm>
#include <cstdio>
#include <fstream>
#include <zerobeat/regular/profile.hpp>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/view/plot.hpp>

#include "support/folder.hpp"
#include "support/strand.hpp"
#include "view/picture/line.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;
using detail::Canvas;
using detail::DrawnLine;
using detail::Line;

struct Drawn {
  std::string svg;
  std::vector<std::string> notes;
};

Drawn svg_of(const std::vector<Timeline>& timelines, const Figure& look) {
  const Folder folder;
  const std::string path = folder.path("figure.svg");
  Output output(path);
  Drawn drawn;
  drawn.notes = plot(Plotted{.timelines = timelines}, look, output, path);
  output.commit();
  drawn.svg = folder.get("figure.svg");
  return drawn;
}

/// Of what a step made.
Drawn svg_of_made(const Made& made, const Figure& look = {}) {
  const Folder folder;
  Drawn drawn;
  drawn.notes = plot(made, look, folder.path("figure.svg"));
  drawn.svg = folder.get("figure.svg");
  return drawn;
}

std::vector<Part> parts(const char* text) {
  std::vector<Part> out;
  from_text(text, out);
  return out;
}

DrawnLine line_of(const Timeline& timeline, int width, bool log = false) {
  Line line;
  line.timeline = &timeline;
  line.strand = timeline.strands()[0];
  line.column = timeline.values().column("level").as_numbers();
  return detail::drawn_line(line,
                            Canvas{timeline.times().front(), timeline.times().back(), width, log});
}

/// Hourly rows, of which the first and the last are partial.
Timeline partial_ends() {
  Timeline::Parts parts = strand("00:00 10", "01:00 2", "02:00 4", "03:00 3", "04:00 90").parts();
  Buffer<std::uint64_t> bits(1, 0b10001);
  parts.values.add("partial", Column::booleans(std::move(bits), 5));
  return Timeline(parts);
}

}  // namespace

TEST_CASE("a line of many readings keeps the peaks of each pixel, and no more points", "[line]") {
  std::vector<Instant> times;
  Readings level;
  std::mt19937 random(91);
  Instant t = clock("00:00");
  for (int i = 0; i < 50'000; ++i) {
    t += std::chrono::milliseconds(50 + random() % 900);
    times.push_back(t);
    level.push_back(i == 31'234 ? 99 : static_cast<double>(random() % 1000) / 100);
    if (random() % 50 == 0) level.back().reset();
  }
  const Timeline timeline = timeline_of({times, {}, {{"level", column_of(level)}}});
  const DrawnLine drawn = line_of(timeline, 400);
  std::size_t points = 0;
  double most = 0;
  for (const auto& stretch : drawn.stretches) {
    points += stretch.size();
    for (const auto& point : stretch) most = std::max(most, point.y);
    for (std::size_t i = 1; i < stretch.size(); ++i) CHECK(stretch[i - 1].x <= stretch[i].x);
  }
  CHECK(points <= 4 * 401);
  CHECK(most == 99);
  CHECK(drawn.most == 99);
  // Missing readings are a pixel's fraction wide: the line is not torn.
  CHECK(drawn.stretches.size() == 1);
  CHECK(line_of(timeline, 60'000).gaps.size() > 500);
}

TEST_CASE("gaps are where readings are missing or far apart, and common ones are shaded",
          "[line]") {
  const auto level =
      strand("00:00 1", "00:10 2", "00:20 -", "00:30 4", "00:40 5", "03:00 6", "03:10 7");
  const DrawnLine drawn = line_of(level, 1000);
  CHECK(drawn.stretches.size() == 3);
  CHECK(drawn.gaps == std::vector<std::pair<double, double>>{{600, 1800}, {2400, 10800}});
  using Gaps = std::vector<std::pair<double, double>>;
  CHECK(detail::common_gaps({drawn.gaps, {{0, 700}, {5000, 20000}}}) ==
        Gaps{{600, 700}, {5000, 10800}});
  CHECK(detail::common_gaps({drawn.gaps, {}}).empty());
  CHECK(line_of(strand("00:00 1", "00:10 -3", "00:20 0", "00:30 2"), 1000, true).not_drawable == 2);
}

TEST_CASE("partial buckets are marked and not in the mean", "[figure]") {
  CHECK(line_of(partial_ends(), 1000).mean == 3);
  for (const bool bars : {false, true}) {
    const Drawn drawn = svg_of({partial_ends()}, {.y = {"level"}, .bars = bars, .mean = true});
    CHECK_THAT(drawn.svg, Catch::Contains("partial bucket"));
    CHECK_THAT(drawn.svg, Catch::Contains("mean 3"));
    CHECK(drawn.notes.empty());
  }
}

TEST_CASE("panels bear the names of keys, and what a logarithm can't show is told", "[figure]") {
  const Timeline probes = random_timeline(300, 92, 3, 0.1);
  const Drawn drawn = svg_of({probes}, {.y = {"level"}, .panels = Panels::strands, .log = true});
  for (const char* name : {"cold_1", "cold_2", "cold_3"})
    CHECK_THAT(drawn.svg, Catch::Contains(name));
  REQUIRE(drawn.notes.size() == 1);
  CHECK_THAT(drawn.notes[0], Catch::Contains("not above zero"));
  CHECK_THAT(svg_of({strand("00:00 -1", "00:10 -2")}, {.log = true}).svg,
             Catch::Contains("no reading is above zero"));
  CHECK_THROWS_WITH(svg_of({random_timeline(300, 93, 30)}, {.panels = Panels::strands}),
                    Catch::Contains("30 panels are more than fit"));
}

TEST_CASE("profiles are bars by one part and a heat map by two", "[figure]") {
  const Timeline probes = random_timeline(900, 94, 2, 0.1);
  const Drawn bars =
      svg_of_made(profile(probes, {.by = parts("hour"), .take = {mean("level"), count()}}));
  CHECK_THAT(bars.svg, Catch::Contains("cold_2: count"));
  CHECK_THAT(bars.svg, Catch::Contains("hour (UTC)"));
  const Drawn heat =
      svg_of_made(profile(probes, {.by = parts("weekday,hour"), .take = {median("level")}}));
  CHECK_THAT(heat.svg, Catch::Contains("sat"));
  CHECK_THAT(heat.svg, Catch::Contains("level_median"));
  const Drawn nothing =
      svg_of_made(profile(strand("00:00 -"), {.by = parts("hour"), .take = {mean("level")}}));
  CHECK_THAT(nothing.svg, Catch::Contains("every reading is missing"));
  CHECK(nothing.notes ==
        std::vector<std::string>{"there is nothing to draw: every reading is missing"});
}

/// How many times a text stands in another.
std::size_t count_of(const std::string& text, const std::string& part) {
  std::size_t n = 0;
  for (std::size_t at = text.find(part); at != std::string::npos; at = text.find(part, at + 1)) ++n;
  return n;
}

TEST_CASE("levels of a resample are a line each, and files have panels of their own", "[figure]") {
  const Timeline hours = strand("00:00 1", "01:00 5", "02:00 3", "03:00 4", "04:00 9", "05:00 2");
  const Timeline levels =
      resample(hours, {.every = Every{2h, 3h}, .take = {mean("level").as("m")}});
  const Drawn lines = svg_of({levels}, {});
  CHECK_THAT(lines.svg, Catch::Contains("m (2h)") && Catch::Contains("m (3h)"));
  const Drawn panels = svg_of({hours.named("a"), hours.named("b")}, {.panels = Panels::strands});
  CHECK_THAT(panels.svg, Catch::Contains(">a<") && Catch::Contains(">b<"));
}

TEST_CASE("a bar is as wide as its bucket, also before a gap", "[figure]") {
  const Timeline even = strand("00:00 4", "01:00 4", "02:00 4", "03:00 4", "10:00 4", "11:00 4");
  const std::string svg = svg_of({even}, {.bars = true}).svg;
  // Each bar is a filled polygon M x,y … ; their widths are what lies between the first two
  // corners.
  std::vector<double> widths;
  for (std::size_t at = svg.find("<polygon fill"); at != std::string::npos;
       at = svg.find("<polygon fill", at + 1)) {
    const std::size_t points = svg.find("points", at);
    double least = 1e9, most = -1e9;
    std::istringstream words(svg.substr(points + 10, svg.find('/', points) - points - 10));
    for (std::string word; words >> word;) {
      if (word.find(',') == std::string::npos) continue;
      const double x = std::atof(word.c_str());
      least = std::min(least, x);
      most = std::max(most, x);
    }
    widths.push_back(most - least);
  }
  REQUIRE(widths.size() >= 6);
  // The widest are bars, narrower ones are those of the key.
  std::ranges::sort(widths, std::greater());
  CHECK(widths[0] <= widths[5] * 1.1 + 1);
}

TEST_CASE("a profile's bars have their mean, and a heat map has none", "[figure]") {
  const Timeline hours = strand("00:00 1", "01:00 5", "02:00 3");
  const Made by_hour = profile(hours, {.by = parts("hour")});
  const std::string plain = svg_of_made(by_hour).svg;
  const std::string with_mean = svg_of_made(by_hour, {.mean = true}).svg;
  CHECK(count_of(with_mean, "stroke-dasharray") > count_of(plain, "stroke-dasharray"));
  CHECK_THAT(with_mean, Catch::Contains("mean 3"));
  const Made crossed = profile(hours, {.by = parts("weekday,hour")});
  CHECK_THROWS_WITH(svg_of_made(crossed, {.mean = true}), Catch::Contains("heat map"));
  CHECK_THROWS_WITH(svg_of_made(by_hour, {.gaps = true}),
                    Catch::Contains("‹gaps› does not go with the picture of profile"));
}

TEST_CASE("times at the ends of time are drawn, and end", "[figure]") {
  for (const auto& [from, until] :
       {std::pair(Instant::max() - 48h, Instant::max()), std::pair(Instant::min(), Instant::max()),
        std::pair(Instant::min(), Instant::min() + 48h)}) {
    const Timeline ends = timeline_of({{from, until}, {}, {{"level", column_of({1, 2})}}});
    CHECK(svg_of({ends}, {}).svg.find("</svg>") != std::string::npos);
  }
}

}  // namespace zerobeat::testing
