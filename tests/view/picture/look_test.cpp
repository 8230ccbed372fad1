#include <algorithm>
#include <cmath>
#include <zerobeat/clean/clip.hpp>
#include <zerobeat/clean/fill.hpp>
#include <zerobeat/clean/spells.hpp>
#include <zerobeat/regular/gaps.hpp>
#include <zerobeat/regular/profile.hpp>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/view/plot.hpp>
#include <zerobeat/window/roll.hpp>

#include "support/folder.hpp"
#include "support/strand.hpp"
#include "view/picture/kinds.hpp"
#include "view/picture/lines.hpp"
#include "view/picture/names.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;
using detail::DrawnPicture, detail::DrawnShape, detail::LineShape, detail::BoxShape, detail::Panel,
    detail::PictureTask, detail::PointShape, detail::RuleShape, detail::AreaShape;

/// What is drawn, as shapes in the units of the axes.
DrawnPicture drawn_lines(const std::vector<Timeline>& timelines, const Figure& look,
                         const Timeline* over = nullptr) {
  return detail::draw_lines({.timelines = timelines, .over = over, .look = look});
}

const Panel& only_panel(const DrawnPicture& picture) {
  REQUIRE(picture.drawing.rows.size() == 1);
  REQUIRE(picture.drawing.rows[0].panels.size() == 1);
  return picture.drawing.rows[0].panels[0];
}

template <typename Shape>
std::vector<const DrawnShape*> shapes(const Panel& panel) {
  std::vector<const DrawnShape*> out;
  for (const DrawnShape& shape : panel.shapes) {
    if (std::holds_alternative<Shape>(shape.what)) out.push_back(&shape);
  }
  return out;
}

template <typename Shape>
const Shape& only(const Panel& panel) {
  const auto all = shapes<Shape>(panel);
  REQUIRE(all.size() == 1);
  return std::get<Shape>(all[0]->what);
}

Timeline two_columns() {
  return timeline_of(
      {{clock("00:00"), clock("00:10"), clock("00:20"), clock("00:30")},
       {},
       {{"wind_mps", column_of({1, 2, 3, 4})}, {"wave_m", column_of({2, 4, 6, 9})}}});
}

Made made_of(const Timeline& timeline, auto&& step) {
  return zerobeat::apply(std::span<const Timeline>(&timeline, 1), step);
}

DrawnPicture drawn(const Made& made, DrawnPicture (*draw)(const PictureTask&),
                   const Figure& look = {}) {
  const Material material = made.material();
  return draw({.table = made.table ? &*made.table : nullptr, .material = &material, .look = look});
}

}  // namespace

TEST_CASE("an axis is as wide as asked, wider than the data or cutting it", "[look]") {
  const Timeline level = strand("00:00 1", "00:10 2", "00:20 8", "00:30 3", "00:40 4");
  const DrawnPicture wide =
      drawn_lines({level}, {.x_range = Between{"2025-10-20T00:00", "2025-10-20T02:00"}});
  CHECK(only_panel(wide).x.low == 0);
  CHECK(only_panel(wide).x.high == 7200);
  const Instant start = level.times()[0];
  const DrawnPicture cut =
      drawn_lines({level}, {.x_range = Between{to_text(start + 9min), to_text(start + 11min)}});
  // A reading more on each side, so that the line goes on to the edge.
  const auto& points = only<LineShape>(only_panel(cut)).stretches.at(0);
  REQUIRE(points.size() == 3);
  CHECK(points[0].y == 1);
  CHECK(points[2].y == 8);
  CHECK(only_panel(cut).x.high == 120);
  const DrawnPicture high = drawn_lines({level}, {.y_range = Bounds{-1, 20}});
  CHECK(only_panel(high).y.low == -1);
  CHECK(only_panel(high).y.high == 20);
  const DrawnPicture right = drawn_lines(
      {two_columns()}, {.y = {"wind_mps"}, .y2 = {"wave_m"}, .y2_range = Bounds{0, 50}});
  REQUIRE(only_panel(right).right);
  CHECK(only_panel(right).right->high == 50);
  CHECK(only_panel(right).right->name == "wave (m)");
  CHECK(only_panel(right).y.name == "wind (m/s)");
}

TEST_CASE("a logarithm of elapsed times begins at the first after zero, and tells the others",
          "[look]") {
  Timeline::Parts parts = strand("00:00 1", "00:10 2", "00:20 8", "00:30 3").parts();
  parts.axis.elapsed = ElapsedUnit::s;
  Buffer<Instant> times;
  for (const std::int64_t s : {-5, 0, 2, 20}) times.push_back(Instant(std::chrono::seconds(s)));
  parts.times = Column::times(std::move(times));
  parts.ordered = {};
  const Timeline elapsed(parts);
  const DrawnPicture picture = drawn_lines({elapsed}, {.log_x = true});
  const Panel& panel = only_panel(picture);
  CHECK(panel.x.log);
  CHECK(panel.x.low == 2);
  CHECK(panel.x.high == 20);
  CHECK(only<LineShape>(panel).stretches.at(0).size() == 2);
  CHECK(picture.notes ==
        std::vector<std::string>{"‹log_x›: 2 readings are not after zero and have no place"});
}

TEST_CASE("a scatter has a point for each row that has both, and their least-squares line",
          "[look]") {
  const Timeline both = timeline_of(
      {{clock("00:00"), clock("00:10"), clock("00:20"), clock("00:30"), clock("00:40")},
       {},
       {{"wind_mps", column_of({1, 2, 3, 4, missing})}, {"wave_m", column_of({2, 4, 6, 9, 7})}}});
  Figure look{.line = true};
  from_text("wind_mps,wave_m", look.scatter);
  const DrawnPicture picture = drawn_lines({both}, look);
  const Panel& panel = only_panel(picture);
  CHECK(only<PointShape>(panel).points.size() == 4);
  CHECK(panel.x.name == "wind (m/s)");
  const auto& line = only<LineShape>(panel).stretches.at(0);
  // y = −0.5 + 2.3 x: slopes and means by hand.
  CHECK(line.front().x == 1);
  CHECK(line.front().y == Approx(1.8));
  CHECK(line.back().y == Approx(8.7));
  CHECK(picture.notes == std::vector<std::string>{"1 rows lack one of the two columns"});
  CHECK_THAT(shapes<LineShape>(panel)[0]->name,
             Catch::Contains("wave_m = -0.5 + 2.3 · wind_mps, R² 0.98"));
  look.log = look.log_x = true;
  CHECK(only_panel(drawn_lines({both}, look)).x.log);
  look.y = {"wave_m"};
  CHECK_THROWS_WITH(plot(both, look, "never.svg"),
                    Catch::Contains("‹y› does not go with ‹scatter›"));
}

TEST_CASE("readings stand until the next, have points, and their last value at the end", "[look]") {
  const Timeline level = strand("00:00 1", "00:10 2", "00:20 8");
  const Panel panel =
      only_panel(drawn_lines({level}, {.points = true, .steps = true, .label_last = true}));
  std::vector<std::pair<double, double>> corners;
  for (const auto& point : only<LineShape>(panel).stretches.at(0)) {
    corners.emplace_back(point.x, point.y);
  }
  CHECK(corners ==
        std::vector<std::pair<double, double>>{{0, 1}, {600, 1}, {600, 2}, {1200, 2}, {1200, 8}});
  CHECK(only<PointShape>(panel).points.size() == 3);
  REQUIRE(panel.labels.size() == 1);
  CHECK(panel.labels[0].text == "8");
  CHECK(panel.labels[0].y == 8);
}

TEST_CASE("panels are of strands, of columns each on its scale, or of files", "[look]") {
  const Timeline both = two_columns();
  const DrawnPicture columns = drawn_lines({both}, {.panels = Panels::columns});
  REQUIRE(columns.drawing.rows.size() == 2);
  CHECK(columns.drawing.rows[0].panels[0].title == "wind_mps");
  CHECK(columns.drawing.rows[0].panels[0].y.high < 4.5);
  CHECK(columns.drawing.rows[1].panels[0].y.high > 9);
  // Those of the same columns have one scale.
  const Timeline low = strand("00:00 1", "00:10 2").named("low");
  const Timeline high = strand("00:00 7", "00:10 9").named("high");
  const DrawnPicture files = drawn_lines({low, high}, {.panels = Panels::strands});
  REQUIRE(files.drawing.rows.size() == 2);
  CHECK(files.drawing.rows[0].panels[0].title == "low");
  CHECK(files.drawing.rows[0].panels[0].y.high == files.drawing.rows[1].panels[0].y.high);
}

TEST_CASE("what clip and fill tell of is marked and shaded unasked, and is no line", "[look]") {
  const Timeline spike =
      strand("00:00 1", "00:01 1.1", "00:02 0.9", "00:03 40", "00:04 1", "00:05 1.2", "00:06 0.8");
  const Timeline clipped =
      clip(spike, {.by = Fences{3}, .put = Clip::Put::level, .flag = true, .band = true});
  const Panel panel = only_panel(drawn_lines({clipped}, {}));
  CHECK(shapes<LineShape>(panel).size() == 1);
  CHECK(shapes<AreaShape>(panel).size() == 1);
  REQUIRE(shapes<PointShape>(panel).size() == 1);
  CHECK(shapes<PointShape>(panel)[0]->name == "changed");
  CHECK(only<PointShape>(panel).points.at(0).x == 180);
  // A band of two columns that are named.
  Figure look{.y = {"wind_mps"}};
  from_text("wind_mps:wave_m", look.band);
  const Panel named = only_panel(drawn_lines({two_columns()}, look));
  const auto& rows = only<AreaShape>(named).stretches.at(0);
  CHECK(rows.size() == 4);
  CHECK(rows[3].low == 4);
  CHECK(rows[3].high == 9);
}

TEST_CASE("a raw series lies behind what smooths it, paler", "[look]") {
  const Timeline level = strand("00:00 1", "00:10 2", "00:20 8", "00:30 3");
  for (const bool named : {false, true}) {
    const Take take = named ? mean("level").as("calm") : mean("level");
    const Timeline smooth = roll(level, {.window = 2, .take = {take}});
    const DrawnPicture picture = drawn_lines({smooth}, {});
    const auto lines = shapes<LineShape>(only_panel(picture));
    REQUIRE(lines.size() == 2);
    CHECK(lines[0]->name == "level");
    CHECK(std::get<LineShape>(lines[0]->what).ink == detail::pale_ink);
    CHECK(lines[1]->name == (named ? "calm" : "level_mean"));
    CHECK(std::get<LineShape>(lines[1]->what).ink == detail::ink(0));
  }
}

TEST_CASE("names tell units, and others stand as they are", "[look]") {
  using detail::name_with_unit;
  CHECK(name_with_unit("level_m") == "level (m)");
  CHECK(name_with_unit("sea_level_m") == "sea level (m)");
  CHECK(name_with_unit("temperature_c_mean") == "temperature mean (°C)");
  CHECK(name_with_unit("price_eur") == "price (EUR)");
  CHECK(name_with_unit("level") == "level");
  CHECK(name_with_unit("m") == "m");
  CHECK(name_with_unit("_m") == "_m");
  CHECK(name_with_unit("level_2h") == "level_2h");
  Figure look;
  from_text("level=\"Water, high (m)\",kg=a=b", look.names);
  CHECK(look.names == std::vector<ShownName>{{"level", "Water, high (m)"}, {"kg", "a=b"}});
  CHECK(to_text(look.names) == "level=\"Water, high (m)\",kg=\"a=b\"");
  const Panel panel = only_panel(drawn_lines({strand("00:00 1", "00:10 2")}, look));
  CHECK(panel.y.name == "Water, high (m)");
  CHECK(shapes<LineShape>(panel)[0]->name == "Water, high (m)");
}

TEST_CASE("spells are bars from start to end, a lane for each strand", "[look]") {
  const Timeline probes = timeline_of({{clock("00:00"), clock("00:10"), clock("00:20"),
                                        clock("00:00"), clock("00:10"), clock("00:20")},
                                       {"north", "north", "north", "south", "south", "south"},
                                       {{"level", column_of({5, 1, 5, 5, 5, 1})}}});
  const Made made = made_of(probes, Spells{.where = "level > 3"});
  const DrawnPicture picture = drawn(made, detail::draw_spells);
  const Panel& panel = only_panel(picture);
  const auto boxes = shapes<BoxShape>(panel);
  REQUIRE(boxes.size() == 2);
  CHECK(boxes[1]->name == "level > 3");
  std::vector<std::array<double, 3>> bars;  // from, to, lane
  for (const auto& box : std::get<BoxShape>(boxes[1]->what).boxes) {
    bars.push_back({box.left, box.right, (box.bottom + box.top) / 2});
  }
  CHECK(bars == std::vector<std::array<double, 3>>{{0, 600, 0}, {1200, 1800, 0}, {0, 1200, 1}});
  REQUIRE(panel.right);
  CHECK(panel.right->ticks(20).at(0).text == "2 spells");
}

TEST_CASE("gaps by parts of the calendar are drawn as shares", "[look]") {
  const Timeline level = strand("00:00 1", "00:30 2", "01:00 -", "01:30 -", "02:00 3", "02:30 3");
  Gaps options{.on = {"level"}};
  from_text("hour", options.by);
  const DrawnPicture picture = drawn(made_of(level, options), detail::draw_gaps);
  // Records and the column have a panel each.
  REQUIRE(picture.drawing.rows.size() == 2);
  CHECK(picture.drawing.rows[0].panels[0].title == "records: missing_share");
  const Panel& column = picture.drawing.rows[1].panels[0];
  CHECK(column.title == "level: missing_share");
  const auto& bars = only<BoxShape>(column).boxes;
  REQUIRE(bars.size() == 3);
  CHECK(bars[0].top == 0);
  CHECK(bars[1].top == Approx(1));
}

TEST_CASE("a profile's dashed line is the mean of all readings, of other takes that of the bars",
          "[look]") {
  const Timeline hours = strand("00:00 1", "00:20 1", "00:40 1", "01:00 9");
  std::vector<Part> by;
  from_text("hour", by);
  const auto rule = [&](const Take& take) {
    const Made made = profile(hours, {.by = by, .take = {take}});
    return only<RuleShape>(only_panel(drawn(made, detail::draw_profile, {.mean = true}))).at;
  };
  CHECK(rule(mean("level").as("m")) == 3);  // of 1, 1, 1, 9
  CHECK(rule(max("level").as("m")) == 5);   // of 1 and 9
}

TEST_CASE("bars of several levels have a panel a level, the coarsest above", "[look]") {
  const Timeline hours = strand("00:00 1", "01:00 5", "02:00 3", "03:00 4", "04:00 9", "05:00 2");
  const Timeline levels = resample(hours, {.every = Every{1h, 3h}, .take = {sum("level").as("m")}});
  const DrawnPicture picture = drawn_lines({levels}, {.bars = true});
  REQUIRE(picture.drawing.rows.size() == 2);
  const Panel &coarse = picture.drawing.rows[0].panels[0],
              &fine = picture.drawing.rows[1].panels[0];
  CHECK(coarse.title == "3h");
  CHECK(fine.title == "1h");
  CHECK(coarse.x.high == fine.x.high);
  CHECK(only<BoxShape>(coarse).boxes.size() == 2);
  CHECK(only<BoxShape>(fine).boxes.size() == 6);
}

}  // namespace zerobeat::testing
