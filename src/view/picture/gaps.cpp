#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>

#include "time/wide_instant.hpp"
#include "view/picture/kinds.hpp"
#include "view/picture/lanes.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr const char* there_ink = "#bcd3dd";
constexpr const char* some_ink = "#e0a58c";
constexpr const char* none_ink = "#b03a1e";

/// From and until, in what Canvas::x gives.
struct Stretch {
  double from = 0, to = 0;
};

/// One strand's column.
struct Strip {
  std::string title{};
  Stretch span{};  ///< of its records
  std::vector<Stretch> missing{};
  double missing_length = 0;

  /// "97.1%": what lacks a little is not all.
  [[nodiscard]] std::string share() const {
    const double length = span.to - span.from;
    const double there = length > 0 ? 100 * std::max(0.0, 1 - missing_length / length) : 100;
    const bool lacks = missing_length > 0;
    return fmt::format("{:.{}f}%", lacks ? std::min(there, 99.9) : there, lacks ? 1 : 0);
  }
};

std::vector<Strip> strips_of(const Figure& look, const Material& material, bool several,
                             const Canvas& canvas) {
  const Timeline& timeline = material.timelines[0];
  auto names = material.names.at("on");
  // Without a column it is the records that are there or not.
  const bool of_records = names.empty();
  if (of_records) names.emplace_back();
  const std::size_t columns = names.size();
  std::vector<Strip> strips;
  for (const Strand& strand : timeline.strands()) {
    for (const auto& name : names) {
      Strip& strip = strips.emplace_back();
      strip.title = several ? timeline.name() : "";
      if (strand.key) strip.title += (strip.title.empty() ? "" : " ") + key_text(*strand.key);
      if (columns > 1 || strip.title.empty()) {
        const std::string column = of_records ? "records" : shown_name(look, name);
        strip.title += (strip.title.empty() ? "" : " ") + column;
      }
      if (strand.size() == 0) continue;
      strip.span = {canvas.x(timeline.times()[strand.begin]),
                    canvas.x(timeline.times()[strand.end - 1])};
    }
  }
  const Table& missing = material.tables.at("missing");
  const auto strand = missing.column("strand").integers(),
             column = missing.column("column").integers();
  const auto from = missing.column("from").times(), to = missing.column("to").times();
  for (std::size_t i = 0; i < missing.rows(); ++i) {
    const auto place = static_cast<std::size_t>(column[i]);
    if (!of_records && place >= columns) continue;
    Strip& strip = strips[static_cast<std::size_t>(strand[i]) * columns + (of_records ? 0 : place)];
    strip.missing.push_back({canvas.x(from[i]), canvas.x(to[i])});
    strip.missing_length += strip.missing.back().to - strip.missing.back().from;
  }
  return strips;
}

/// How much is missing of each pixel, as stretches of one kind.
void add_patches(const Strip& strip, double left, double right, double pixels, const Lane& lane,
                 BoxShape& some, BoxShape& none) {
  const double pixel = (right - left) / std::max(50.0, pixels);
  std::vector<double> share(static_cast<std::size_t>(std::ceil((right - left) / pixel)) + 1, 0);
  const auto at = [&](std::size_t p) { return left + static_cast<double>(p) * pixel; };
  for (const Stretch& stretch : strip.missing) {
    const double from = std::max(left, stretch.from);
    for (auto p = static_cast<std::size_t>((from - left) / pixel);
         p < share.size() && at(p) < stretch.to; ++p) {
      share[p] += (std::min(stretch.to, at(p) + pixel) - std::max(from, at(p))) / pixel;
    }
  }
  const auto kind = [&](std::size_t p) { return share[p] <= 0 ? 0 : share[p] < 0.5 ? 1 : 2; };
  for (std::size_t p = 0; p < share.size();) {
    const std::size_t begin = p;
    while (p < share.size() && kind(p) == kind(begin)) ++p;
    if (kind(begin) == 0) continue;
    const double from = std::max(strip.span.from, at(begin));
    const double to = std::min(std::max(strip.span.to, strip.span.from + pixel), at(p));
    if (from < to) (kind(begin) == 1 ? some : none).boxes.push_back(lane.box(from, to));
  }
}

}  // namespace

DrawnPicture draw_gaps(const PictureTask& task) {
  if (task.material->names.contains("parts")) return draw_profile(task);
  const Timeline& timeline = task.material->timelines[0];
  std::vector<Instant> ends;  // of all strands, whose span the picture has
  std::vector<const Material*> materials{task.material};
  for (const Material& material : task.more) {
    if (material.names.contains("parts")) {
      fail_usage("gaps by parts of the calendar are drawn by themselves, not with others");
    }
    materials.push_back(&material);
  }
  for (const Material* material : materials) {
    const Timeline& its = material->timelines[0];
    if (its.axis().is_instants() != timeline.axis().is_instants()) {
      fail_usage("the times of {} are {} and those of {} {}; they have no common axis",
                 timeline.name(), to_text(timeline.axis()), its.name(), to_text(its.axis()));
    }
    for (const Strand& strand : its.strands()) {
      if (strand.size() == 0) continue;
      ends.push_back(its.times()[strand.begin]);
      ends.push_back(its.times()[strand.end - 1]);
    }
  }
  if (ends.empty()) return nothing_to_draw("no records");
  const Canvas canvas = canvas_of(task, ends);
  std::vector<Strip> strips;
  for (const Material* material : materials) {
    for (Strip& strip : strips_of(task.look, *material, materials.size() > 1, canvas)) {
      strips.push_back(std::move(strip));
    }
  }
  check_lanes(strips.size());
  DrawnPicture out;
  Panel panel;
  panel.x = time_axis(canvas, timeline.zone(), timeline.axis(), timeline.time_name());
  std::vector<std::string> titles, shares, said;
  for (const Strip& strip : strips) {
    titles.push_back(strip.title);
    shares.push_back(strip.share());
    if (said.size() < 20) said.push_back(strip.title + " " + strip.share());
  }
  set_lanes(panel, titles, shares);
  BoxShape there{.ink = there_ink}, some{.ink = some_ink}, none{.ink = none_ink};
  for (std::size_t i = 0; i < strips.size(); ++i) {
    const Lane lane(i, strips.size());
    there.boxes.push_back(lane.box(strips[i].span.from, strips[i].span.to));
    add_patches(strips[i], panel.x.low, panel.x.high, task.look.size.width - 160.0, lane, some,
                none);
  }
  panel.shapes.push_back({std::move(there), "there"});
  panel.shapes.push_back({std::move(some), "some missing"});
  panel.shapes.push_back({std::move(none), "missing"});
  out.drawing.name = "What is there and what is missing";
  out.drawing.description = fmt::format("{}", fmt::join(said, "; "));
  out.drawing.rows.push_back({{std::move(panel)}});
  return out;
}

}  // namespace zerobeat::detail
