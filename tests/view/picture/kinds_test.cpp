#include "view/picture/kinds.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <zerobeat/align/clock/tune.hpp>
#include <zerobeat/clean/fill.hpp>
#include <zerobeat/model/correlate.hpp>
#include <zerobeat/model/crossings.hpp>
#include <zerobeat/model/decompose.hpp>
#include <zerobeat/model/forecast.hpp>
#include <zerobeat/model/peaks.hpp>
#include <zerobeat/model/regress.hpp>
#include <zerobeat/regular/describe.hpp>
#include <zerobeat/regular/gaps.hpp>
#include <zerobeat/regular/profile.hpp>
#include <zerobeat/view/plot.hpp>

#include "support/folder.hpp"
#include "support/strand.hpp"
#include "view/picture/lanes.hpp"
#include "view/picture/lines.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;
using detail::BoxShape, detail::DrawnPicture, detail::DrawnShape, detail::HeatShape,
    detail::LineShape, detail::Panel, detail::PictureTask, detail::PointShape;

Made made_by(std::span<const Timeline> timelines, auto&& step) {
  return zerobeat::apply(timelines, step);
}

DrawnPicture drawn_by(const Made& made, DrawnPicture (*draw)(const PictureTask&),
                      const Figure& look = {}) {
  const Material material = made.material();
  return draw({.table = made.table ? &*made.table : nullptr, .material = &material, .look = look});
}

/// The shape of that name; the test ends when there is none.
const DrawnShape& shape_named(const Panel& panel, std::string_view name) {
  const auto at = std::ranges::find_if(
      panel.shapes, [&](const DrawnShape& shape) { return shape.name.starts_with(name); });
  INFO(name);
  REQUIRE(at != panel.shapes.end());
  return *at;
}

/// A level that swings, every minute for hours, seen by a clock that is so far ahead.
Timeline swinging(const std::string& name, Nanoseconds ahead, double noise_at = 0) {
  std::vector<Instant> times;
  Readings level;
  std::mt19937 random(61);
  double walk = 0;
  std::vector<double> course;
  for (int i = 0; i < 3'000; ++i) {
    walk += static_cast<double>(random() % 2001) / 1000 - 1;
    course.push_back(walk + 5 * std::sin(i / 17.0) + noise_at * i);
  }
  for (int i = 0; i < 3'000; ++i) {
    times.push_back(clock("00:00") + i * 20s + ahead);
    level.push_back(course[static_cast<std::size_t>(i)]);
  }
  return timeline_of({times, {}, {{"level", column_of(level)}}}).named(name);
}

}  // namespace

TEST_CASE("every step's picture stands in one table, and what has none is lines", "[pictures]") {
  for (const char* step : {"profile", "describe", "gaps", "spells", "fill", "tune"}) {
    CHECK(detail::picture_of(step, true).made_by == step);
    // Without anything handed on (fill that fills) it is a timeline like any other.
    CHECK(detail::picture_of(step, false).draw == detail::draw_lines);
  }
  CHECK(detail::picture_of("resample", true).draw == detail::draw_lines);
  CHECK(detail::picture_of("", false).draw == detail::draw_lines);
}

TEST_CASE("a look that does not go with a picture is refused by name, others pass", "[pictures]") {
  const auto refused = [](const char* step, const Figure& look) -> std::string {
    try {
      detail::check_looks(detail::picture_of(step, true), look);
    } catch (const Error& error) {
      return error.what();
    }
    return {};
  };
  CHECK(refused("profile", {.mean = true, .title = "a", .subtitle = "b", .scale = 2}).empty());
  CHECK_THAT(refused("describe", {.mean = true}),
             Catch::Contains("‹mean› does not go with the picture of describe"));
  CHECK_THAT(refused("gaps", {.keys = {"a"}}), Catch::Contains("Rows are chosen by select before"));
  CHECK(refused("gaps", {.x_range = Between{"2025-10-20", ""}}).empty());
  CHECK_THAT(refused("resample", {.scale = 9}), Catch::Contains("a pixel is drawn as 1 to 8"));
  CHECK_THAT(refused("resample", {.log = true, .y_range = Bounds{0, 3}}),
             Catch::Contains("begins above zero"));
}

TEST_CASE("a histogram has every reading in one bar, and the curve of their mean and deviation",
          "[pictures]") {
  std::vector<Instant> times;
  Readings level;
  std::mt19937 random(62);
  for (int i = 0; i < 5'000; ++i) {
    times.push_back(clock("00:00") + i * 1s);
    double sum = 0;
    for (int k = 0; k < 12; ++k) sum += static_cast<double>(random() % 1000) / 1000;
    level.push_back(sum - 6);
    if (i % 50 == 0) level.back().reset();
  }
  const Timeline timeline = timeline_of({times, {}, {{"level", column_of(level)}}});
  const DrawnPicture picture = drawn_by(made_by({&timeline, 1}, Describe{}), detail::draw_describe);
  REQUIRE(picture.drawing.rows.size() == 1);
  REQUIRE(picture.drawing.rows[0].panels.size() == 2);
  const Panel& histogram = picture.drawing.rows[0].panels[0];
  double counted = 0;
  double highest = 0;
  for (const auto& bar : std::get<BoxShape>(shape_named(histogram, "readings").what).boxes) {
    counted += bar.top;
    highest = std::max(highest, bar.top);
  }
  CHECK(counted == 4'900);
  // The sum of twelve is nearly normal: its curve is as high as the bars are, and its area theirs.
  const auto& curve = std::get<LineShape>(shape_named(histogram, "normal").what).stretches.at(0);
  double peak = 0, area = 0;
  for (std::size_t i = 1; i < curve.size(); ++i) {
    peak = std::max(peak, curve[i].y);
    area += (curve[i].x - curve[i - 1].x) * (curve[i].y + curve[i - 1].y) / 2;
  }
  const auto& bars = std::get<BoxShape>(shape_named(histogram, "readings").what).boxes;
  const double width = bars[1].right - bars[1].left;
  CHECK(peak == Approx(highest).epsilon(0.2));
  CHECK(area == Approx(4'900 * width).epsilon(0.01));
  // Its quantiles lie on the line.
  const Panel& quantiles = picture.drawing.rows[0].panels[1];
  const auto& points = std::get<PointShape>(shape_named(quantiles, "readings").what).points;
  CHECK(points.size() == 2'000);
  CHECK(std::ranges::is_sorted(points, {}, &detail::Point::y));
  CHECK(points[points.size() / 2].x == Approx(0).margin(0.01));
  CHECK(points[points.size() / 2].y == Approx(0).margin(0.1));
}

TEST_CASE("of readings that are all alike there is one bar and no curve", "[pictures]") {
  const Timeline level = strand("00:00 4", "00:10 4", "00:20 4");
  const DrawnPicture picture = drawn_by(made_by({&level, 1}, Describe{}), detail::draw_describe);
  const Panel& histogram = picture.drawing.rows[0].panels[0];
  REQUIRE(histogram.shapes.size() == 1);
  CHECK(std::get<BoxShape>(histogram.shapes[0].what).boxes.size() == 1);
  CHECK_THAT(histogram.title, Catch::Contains("3 readings, mean 4, std 0"));
  const Timeline probes = random_timeline(500, 63, 5);
  const Made made = made_by({&probes, 1}, Describe{});
  CHECK_THROWS_WITH(plot(made, {}, "never.svg"), Catch::Contains("5 strands and columns are more"));
}

TEST_CASE("strips are dark where half a pixel and more is missing, and tell the share",
          "[pictures]") {
  const Timeline level = strand("00:00 1", "00:10 2", "00:20 -", "00:30 -", "00:40 -", "00:50 -",
                                "01:00 7", "01:10 8", "01:20 9", "01:30 9", "01:40 9");
  const DrawnPicture picture =
      drawn_by(made_by({&level, 1}, Gaps{.on = {"level"}}), detail::draw_gaps);
  const Panel& panel = picture.drawing.rows.at(0).panels.at(0);
  const auto& there = std::get<BoxShape>(shape_named(panel, "there").what).boxes;
  REQUIRE(there.size() == 1);
  CHECK(there[0].left == 0);
  CHECK(there[0].right == 6'000);
  // From a typical step after the last reading to the next.
  const auto& dark = std::get<BoxShape>(shape_named(panel, "missing").what).boxes;
  REQUIRE(dark.size() == 1);
  const double pixel = 6'000.0 / (1280 - 160);
  CHECK(dark[0].left == Approx(1'200).margin(pixel));
  CHECK(dark[0].right == Approx(3'600).margin(pixel));
  CHECK_THAT(picture.drawing.description, Catch::Contains("60.0%"));
  // Without columns it is records that are there or not.
  const Timeline bare = timeline_of({{clock("00:00"), clock("00:10"), clock("02:00")}, {}, {}});
  const DrawnPicture records = drawn_by(made_by({&bare, 1}, Gaps{}), detail::draw_gaps);
  CHECK_THAT(records.drawing.description, Catch::Contains("records"));
}

TEST_CASE("several results of gaps stand below each other over one axis", "[pictures]") {
  const Timeline early = strand("00:00 1", "00:10 2").named("early");
  const Timeline late = strand("05:00 1", "05:10 2").named("late");
  const Made first = made_by({&early, 1}, Gaps{}), second = made_by({&late, 1}, Gaps{});
  const Folder folder;
  Output output(folder.path("strips.svg"));
  const Plotted both{.table = &*first.table,
                     .made_by = "gaps",
                     .material = first.material,
                     .more = {second.material}};
  plot(both, {}, output, folder.path("strips.svg"));
  output.commit();
  CHECK_THAT(folder.get("strips.svg"), Catch::Contains("early 100%; late 100%"));
  Plotted two = both;
  two.made_by = "describe";
  CHECK_THROWS_WITH(plot(two, {}, output, folder.path("strips.svg")),
                    Catch::Contains("the picture of describe is of one result, not of 2"));
}

TEST_CASE("a heat map has a cell for each crossing, by its words, whatever rows there are",
          "[pictures]") {
  const Timeline probes = random_timeline(400, 64, 1, 0.1);
  std::vector<Part> by;
  from_text("weekday,hour", by);
  const ProfileTable whole = profile(probes, {.by = by, .take = {mean("level")}});
  const ProfileTable some =
      profile(probes, {.by = by, .take = {mean("level")}, .empty = Resample::Empty::skip});
  const auto cells = [](const ProfileTable& table) {
    const DrawnPicture picture = drawn_by(Made(table), detail::draw_profile);
    const Panel& panel = picture.drawing.rows.at(0).panels.at(0);
    const auto& heat = std::get<HeatShape>(panel.shapes.at(0).what);
    std::map<std::pair<std::string, std::string>, double> out;
    const auto down = panel.y.ticks(1'000), along = panel.x.ticks(1'000);
    for (std::size_t i = 0; i < heat.boxes.size(); ++i) {
      const auto word = [](const std::vector<detail::AxisTick>& ticks, double from, double to) {
        return ticks.at(static_cast<std::size_t>((from + to) / 2)).text;
      };
      out[{word(down, heat.boxes[i].bottom, heat.boxes[i].top),
           word(along, heat.boxes[i].left, heat.boxes[i].right)}] = heat.values[i];
    }
    return out;
  };
  CHECK(cells(whole) == cells(some));
  // And they are the profile's own.
  const auto drawn = cells(whole);
  std::size_t there = 0;
  const Column& level = whole.table.column("level_mean");
  for (std::size_t row = 0; row < whole.table.rows(); ++row) {
    if (!level.valid(row)) continue;
    ++there;
    const std::string hour = fmt::format("{}", whole.table.column("hour").integers()[row]);
    CHECK(drawn.at({whole.table.column("weekday").text(row), hour}) == level.numbers()[row]);
  }
  CHECK(there == drawn.size());
}

TEST_CASE("a trial's picture has the hidden readings and each way's filling", "[pictures]") {
  std::vector<Instant> times;
  Readings level;
  for (int i = 0; i < 200; ++i) {
    times.push_back(clock("00:00") + i * 10min);
    level.push_back(std::sin(i / 6.0));
    if (i % 40 > 35) level.back().reset();
  }
  const Timeline wave = timeline_of({times, {}, {{"level", column_of(level)}}});
  Fill options{.hide = 0.2};
  from_text("linear,previous", options.trial);
  const DrawnPicture picture = drawn_by(made_by({&wave, 1}, options), detail::draw_trial);
  const Panel& panel = picture.drawing.rows.at(0).panels.at(0);
  CHECK_THAT(panel.title, Catch::Contains("level: linear comes nearest"));
  const auto& hidden = std::get<PointShape>(panel.shapes.back().what).points;
  REQUIRE(!hidden.empty());
  const FillTrial trial = try_fill(wave, options);
  for (const auto& point : hidden) {
    // Whatever the picture's left edge is, each hidden reading is one of the truth.
    const bool known = std::ranges::any_of(
        level, [&](const auto& reading) { return reading && *reading == point.y; });
    CHECK(known);
  }
  // previous stands at the reading before the block, all the way.
  const auto& flat = std::get<LineShape>(shape_named(panel, "previous").what).stretches.at(0);
  for (std::size_t i = 1; i + 1 < flat.size(); ++i) CHECK(flat[i].y == flat[0].y);
  // Gaps are of four, and so are the blocks that are hidden.
  CHECK(flat.size() == 4 + 2);
}

TEST_CASE("the picture of two clocks has its peak where tune found the offset", "[pictures]") {
  const std::vector<Timeline> both{swinging("quay", 0s), swinging("logger", 95s)};
  const Made made = made_by(both, Tune{.on = "level", .within = 10min});
  const DrawnPicture picture = drawn_by(made, detail::draw_tune);
  REQUIRE(picture.drawing.rows.size() == 2);
  const Panel& curves = picture.drawing.rows[0].panels.at(0);
  CHECK_THAT(curves.title, Catch::StartsWith("logger: 95 s ahead"));
  const auto& line = std::get<LineShape>(shape_named(curves, "logger").what).stretches.at(0);
  const auto peak = std::ranges::max_element(line, {}, &detail::Point::y);
  CHECK(peak->x == Approx(95).margin(3));
  // Below, as it was and set right: in the second both have one course.
  REQUIRE(picture.drawing.rows[1].panels.size() == 2);
  const auto distance = [&](const Panel& panel) {
    const auto& a = std::get<LineShape>(shape_named(panel, "quay").what).stretches.at(0);
    const auto& b = std::get<LineShape>(shape_named(panel, "logger").what).stretches.at(0);
    double sum = 0;
    std::size_t n = 0;
    for (const auto& point : b) {
      const auto next = std::ranges::lower_bound(a, point.x, {}, &detail::Point::x);
      if (next == a.end()) continue;
      sum += std::fabs(next->y - point.y);
      ++n;
    }
    return sum / static_cast<double>(n);
  };
  CHECK(distance(picture.drawing.rows[1].panels[1]) <
        0.6 * distance(picture.drawing.rows[1].panels[0]));
}

TEST_CASE("what tune refuses can be looked at", "[pictures]") {
  const Timeline quay = swinging("quay", 0s);
  std::vector<Instant> times;
  Readings level;
  std::mt19937 random(65);
  for (int i = 0; i < 3'000; ++i) {
    times.push_back(clock("00:00") + i * 20s);
    level.push_back(static_cast<double>(random() % 1000));
  }
  const Timeline noise = timeline_of({times, {}, {{"level", column_of(level)}}}).named("noise");
  const std::vector<Timeline> both{quay, noise};
  const Tune options{.on = "level"};
  CHECK_THROWS_AS(made_by(both, options), Error);
  const Made seen = look(both, options);
  REQUIRE(seen.timeline);
  CHECK(seen.timeline->times()[0] == noise.times()[0]);
  REQUIRE(seen.did.notes.size() == 1);
  CHECK_THAT(seen.did.notes[0], Catch::StartsWith("noise: "));
  const DrawnPicture picture = drawn_by(seen, detail::draw_tune);
  REQUIRE(picture.drawing.rows.size() == 1);
  CHECK(picture.drawing.rows[0].panels.at(0).title == "noise: no match");
}

TEST_CASE("lanes are titled as far as there is room, the first at the top", "[pictures]") {
  Panel panel;
  std::vector<std::string> titles;
  for (int i = 0; i < 300; ++i) titles.push_back(fmt::format("probe_{}", i));
  detail::set_lanes(panel, titles, {});
  CHECK(panel.y.reversed);
  CHECK(!panel.right);
  const auto few = panel.y.ticks(10);
  CHECK(few.size() <= 25);
  CHECK(few.at(0).text == "probe_0");
  CHECK(panel.y.ticks(1'000).size() == 300);
  CHECK_THROWS_WITH(detail::check_lanes(1'001), Catch::Contains("1,001 lanes are more than fit"));
  const detail::Box box = detail::Lane(3, 10).box(5, 9);
  CHECK(box.left == 5);
  CHECK(box.right == 9);
  CHECK((box.bottom + box.top) / 2 == 3);
}

TEST_CASE("a picture of a description may lay a uniform distribution beside the readings",
          "[picture]") {
  Readings readings;
  std::vector<Instant> times;
  for (int i = 0; i < 400; ++i) {
    readings.push_back((i * 7 % 400) / 100.0);
    times.push_back(clock("00:00") + i * 1min);
  }
  const Timeline even = timeline_of({times, {}, {{"level", column_of(readings)}}});
  const auto picture = drawn_by(
      made_by({&even, 1}, Describe{.against = Describe::Against::uniform}), detail::draw_describe);
  const auto& panels = picture.drawing.rows[0].panels;
  const auto& line = std::get<LineShape>(shape_named(panels[0], "uniform").what);
  // As many readings in each bin.
  CHECK(line.stretches[0][0].y == line.stretches[0][1].y);
  CHECK(panels[1].x.name == "quantile of the uniform distribution");
  for (const detail::Point& point :
       std::get<PointShape>(shape_named(panels[1], "readings").what).points) {
    CHECK(point.y == Approx(point.x).margin(0.02));
  }
}

TEST_CASE("bars of correlations stand at their lags, the bounds of noise as lines", "[picture]") {
  const Timeline level = swinging("level", 0s);
  const auto picture =
      drawn_by(made_by({&level, 1}, Correlate{.lags = 12}), detail::draw_correlate);
  const auto& panels = picture.drawing.rows[0].panels;
  REQUIRE(panels.size() == 2);
  const auto& bars = std::get<BoxShape>(shape_named(panels[0], "correlation").what).boxes;
  REQUIRE(bars.size() == 12);
  CHECK((bars[0].left + bars[0].right) / 2 == 1);
  CHECK(bars[0].top > 0.9);
  CHECK(std::get<detail::RuleShape>(shape_named(panels[0], "bound").what).at ==
        Approx(1.96 / std::sqrt(3'000.0)));
}

TEST_CASE("peaks and crossings are marked on the line", "[picture]") {
  const Timeline level = swinging("level", 0s);
  const Made made = made_by({&level, 1}, Peaks{.kind = Peaks::Kind::both, .prominence = 8});
  const auto picture = drawn_by(made, detail::draw_peaks);
  const Panel& panel = picture.drawing.rows[0].panels[0];
  std::size_t up = 0;
  for (std::size_t row = 0; row < made.table->rows(); ++row) {
    up += made.table->column("kind").text(row) == "peak" ? 1 : 0;
  }
  REQUIRE(up > 5);
  const auto& marks = std::get<PointShape>(shape_named(panel, "peaks").what);
  CHECK(marks.points.size() == up);
  CHECK(marks.mark == detail::Mark::up);
  const Made crossed = made_by({&level, 1}, Crossings{.of = "level", .with = "0"});
  const auto second = drawn_by(crossed, detail::draw_crossings);
  const Panel& crossing = second.drawing.rows[0].panels[0];
  for (const detail::Point& point :
       std::get<PointShape>(shape_named(crossing, "upwards").what).points) {
    CHECK(point.y == Approx(0).margin(1e-9));
  }
  CHECK(std::get<detail::RuleShape>(shape_named(crossing, "0").what).at == 0);
  const Made none = made_by({&level, 1}, Peaks{.prominence = 1e9});
  CHECK_THAT(drawn_by(none, detail::draw_peaks).notes[0], Catch::Contains("nothing was found"));
}

TEST_CASE("a decomposition has four panels over one time axis", "[picture]") {
  const Timeline level = swinging("level", 0s);
  const auto picture = drawn_by(made_by({&level, 1}, Decompose{.season = 107, .on = {"level"}}),
                                detail::draw_decompose);
  REQUIRE(picture.drawing.rows.size() == 4);
  std::vector<std::string> names;
  for (const auto& row : picture.drawing.rows) {
    names.push_back(row.panels[0].y.name);
    CHECK(row.panels[0].x.high == picture.drawing.rows[0].panels[0].x.high);
    CHECK(!row.panels[0].shapes.empty());
  }
  CHECK(names == std::vector<std::string>{"level", "trend", "season", "rest"});
}

TEST_CASE("residuals are drawn against fitted values and against time", "[picture]") {
  const Timeline level = swinging("level", 0s);
  const auto picture =
      drawn_by(made_by({&level, 1}, Regress{.y = "level", .x = {"row()"}}), detail::draw_regress);
  REQUIRE(picture.drawing.rows.size() == 2);
  const auto& by_fitted =
      std::get<PointShape>(shape_named(picture.drawing.rows[0].panels[0], "residuals").what);
  const auto& by_time =
      std::get<PointShape>(shape_named(picture.drawing.rows[1].panels[0], "residuals").what);
  REQUIRE(by_fitted.points.size() == 3'000);
  double sum = 0;
  for (std::size_t i = 0; i < 3'000; ++i) {
    CHECK(by_fitted.points[i].y == by_time.points[i].y);
    sum += by_time.points[i].y;
  }
  // Residuals of a line with a constant have no mean.
  CHECK(sum == Approx(0).margin(1e-6));
}

TEST_CASE("a forecast is drawn behind its past, in bands that widen", "[picture]") {
  const Timeline level = swinging("level", 0s);
  const Made made = made_by({&level, 1}, Forecast{.ahead = 12,
                                                  .on = {"level"},
                                                  .model = ForecastModel::Family::naive,
                                                  .levels = {{50, 90}},
                                                  .by_rows = true});
  const auto picture = drawn_by(made, detail::draw_forecast);
  REQUIRE(picture.drawing.rows.size() == 1);
  const Panel& panel = picture.drawing.rows[0].panels[0];
  const auto& wide = std::get<detail::AreaShape>(shape_named(panel, "90% band").what);
  const auto& narrow = std::get<detail::AreaShape>(shape_named(panel, "50% band").what);
  REQUIRE(wide.stretches[0].size() == 13);
  // They begin at the last reading, the narrow one within the wide.
  CHECK(wide.stretches[0][0].low == wide.stretches[0][0].high);
  for (std::size_t row = 1; row < 13; ++row) {
    const auto& here = wide.stretches[0][row];
    const auto& before = wide.stretches[0][row - 1];
    CHECK(here.high - here.low > before.high - before.low);
    CHECK(narrow.stretches[0][row].low > here.low);
    CHECK(narrow.stretches[0][row].high < here.high);
  }
  const auto& line = std::get<detail::LineShape>(shape_named(panel, "forecast").what);
  CHECK(line.stretches[0].size() == 13);
  CHECK(line.stretches[0][0].y == wide.stretches[0][0].low);
  CHECK(panel.x.high >= line.stretches[0].back().x);
  // A past as long as this is drawn from its last rows on.
  CHECK_THAT(picture.notes[0], Catch::Contains("only the last rows"));
}

}  // namespace zerobeat::testing
