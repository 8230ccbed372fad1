#include "view/picture/chosen_lines.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>

#include "view/picture/lanes.hpp"
#include "view/picture/names.hpp"
#include "view/picture/picture.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_panels = 24;

/// A timeline of several levels is a line for each: its rows, level by level.
std::vector<Timeline> levels_of(const Timeline& timeline) {
  const auto place = timeline.values().find("level");
  const bool levels = place && timeline.values().columns()[*place].type() == Column::Type::text;
  if (!levels || timeline.rows() == 0) return {timeline};
  const Column& level = timeline.values().columns()[*place];
  Period ignored;
  std::vector<Timeline> out;
  for (std::size_t code = 0; code < level.dictionary().size(); ++code) {
    try {
      from_text(level.dictionary()[code], ignored);
    } catch (const Error&) {
      return {timeline};  // a column of that name, but none of resample's
    }
    Timeline::Parts parts = timeline.parts();
    std::vector<std::int64_t> rows;
    for (Strand& strand : parts.strands) {
      const Strand whole = strand;
      strand.begin = rows.size();
      for (std::size_t i = whole.begin; i < whole.end; ++i) {
        if (level.valid(i) && static_cast<std::size_t>(level.codes()[i]) == code) {
          rows.push_back(static_cast<std::int64_t>(i));
        }
      }
      strand.end = rows.size();
    }
    parts.times = timeline.time_column().gather(rows);
    parts.values = timeline.values().gather(rows);
    parts.name = level.dictionary()[code];
    out.push_back(Timeline(std::move(parts)));
  }
  // A bar stands above those that it is made of.
  std::ranges::stable_sort(out, {}, [](const Timeline& level_rows) { return level_rows.rows(); });
  return out;
}

}  // namespace

PictureLines::PictureLines(std::span<const Timeline> timelines, const Timeline* laid_over,
                           const Figure& figure)
    : look(figure), over(laid_over) {
  for (const Timeline& timeline : timelines) {
    by_level.push_back(levels_of(timeline));
    for (const Timeline& level : by_level.back()) all.push_back(&level);
  }
  files = timelines.size();
  if (over != nullptr) all.push_back(over);
  zone = all.front()->zone();
  axis = all.front()->axis();
  for (const Timeline* timeline : all) {
    const Axis& time_axis = timeline->axis();
    if (time_axis.is_instants() == axis.is_instants() && time_axis.is_count() == axis.is_count())
      continue;
    fail_usage("the times of {} are {} and those of {} {}; they have no common axis",
               all.front()->name(), to_text(axis), timeline->name(), to_text(time_axis));
  }
  check_names();
  for (const Timeline* timeline : all) add_lines(*timeline);
  if (!find_span()) {
    const bool any_column = std::ranges::any_of(
        all, [](const Timeline* timeline) { return !timeline->values().numeric_names().empty(); });
    nothing = any_column ? "no rows" : "no numeric column";
    return;
  }
  cut_to_range();
  if (look.log_x && !axis.is_instants() && !cut_at_zero()) {
    nothing = "no time is above zero";
    return;
  }
  if (!look.spells.empty()) spells = shades_of(all, look.spells, canvas);
  for (const Line& line : lines) drawn.push_back(drawn_line(line, canvas));
  check_heights();
  find_changes();
  if (!note_what_is_lost()) return;
  find_raw();
  panels = find_panels();
}

/// An axis that is given is wider than the data, or cuts it: then a reading more is kept on each
/// side, so that lines go on to the edge.
void PictureLines::cut_to_range() {
  canvas.width = look.size.width;
  canvas.log = look.log;
  canvas.unit = axis.elapsed;
  if (!look.x_range) return;
  set_x_range(look, zone, axis, canvas);
  for (Line& line : lines) {
    const auto times = line.timeline->times().subspan(line.strand.begin, line.strand.size());
    const auto from = std::ranges::lower_bound(times, canvas.first);
    const auto until = std::ranges::upper_bound(times, canvas.last);
    const auto begin = static_cast<std::size_t>(from - times.begin());
    const auto end = static_cast<std::size_t>(until - times.begin());
    line.strand.end = line.strand.begin + std::min(times.size(), end + 1);
    line.strand.begin += begin > 0 ? begin - 1 : 0;
    line.strand.begin = std::min(line.strand.begin, line.strand.end);
  }
}

/// A logarithm has no place for times at or before zero: they are left out, and told.
bool PictureLines::cut_at_zero() {
  constexpr Instant zero{};
  std::size_t left_out = 0;
  std::optional<Instant> first;
  for (Line& line : lines) {
    const auto times = line.timeline->times().subspan(line.strand.begin, line.strand.size());
    const auto from = std::ranges::upper_bound(times, zero);
    const auto before = static_cast<std::size_t>(from - times.begin());
    left_out += before;
    line.strand.begin += before;
    if (from != times.end()) first = first ? std::min(*first, *from) : *from;
  }
  if (left_out > 0) {
    notes.push_back(fmt::format("‹log_x›: {} readings are not after zero and have no place",
                                grouped(static_cast<std::int64_t>(left_out))));
  }
  if (!first) return false;
  if (canvas.first <= zero) canvas.first = *first;
  if (canvas.last <= canvas.first) canvas.last = canvas.first + Nanoseconds(1);
  return true;
}

/// Columns that are in the picture beside what a window made of them lie behind it.
void PictureLines::find_raw() {
  for (const Line& line : lines) {
    const bool smoothed = std::ranges::any_of(lines, [&](const Line& other) {
      return is_smoothed(*other.timeline, other.name, line.name);
    });
    if (smoothed && std::ranges::find(raw, line.name) == raw.end()) raw.push_back(line.name);
  }
}

/// An axis has margins and steps, so that it can't go to the end of what a number can hold.
void PictureLines::check_heights() const {
  constexpr double highest = 1e300;
  for (std::size_t i = 0; i < lines.size(); ++i) {
    if (drawn[i].readings == 0) continue;
    const double furthest =
        std::fabs(drawn[i].least) > std::fabs(drawn[i].most) ? drawn[i].least : drawn[i].most;
    if (std::fabs(furthest) <= highest) continue;
    fail_usage(
        "column \"{}\": a reading of {} is further from 0 than can be drawn ({}); select "
        "leaves such out (‹where›), clip holds them (‹bounds›)",
        shown(lines[i].name), furthest, highest);
  }
}

void PictureLines::check_names() const {
  std::vector<std::string> known;
  for (const Timeline* timeline : all) {
    for (const auto& name : timeline->values().names()) known.push_back(name);
  }
  for (const auto* names : {&look.y, &look.y2}) {
    for (const auto& name : *names) {
      if (std::ranges::find(known, name) == known.end()) {
        fail_usage("there is no column \"{}\" to draw{}", name, did_you_mean(name, known));
      }
      for (const Timeline* timeline : all) {
        const auto place = timeline->values().find(name);
        if (place && !timeline->values().columns()[*place].is_numeric()) {
          fail_usage("column \"{}\" holds no numbers to draw", name);
        }
      }
    }
  }
}

/// The asked columns that this timeline has; when it has none of them, all its numeric ones.
std::vector<std::string> PictureLines::own_names(const Timeline& timeline) const {
  std::vector<std::string> names;
  for (const auto& name : look.y) {
    if (timeline.values().find(name)) names.push_back(name);
  }
  const bool has_right = std::ranges::any_of(
      look.y2, [&](const auto& name) { return timeline.values().find(name).has_value(); });
  if (names.empty() && (look.y.empty() || !has_right)) {
    for (const auto& name : timeline.values().numeric_names()) {
      const bool elsewhere = std::ranges::find(look.y2, name) != look.y2.end() ||
                             name == look.band.first || name == look.band.second ||
                             bounded_by(timeline.values(), name);
      if (!elsewhere) names.push_back(name);
    }
  }
  return names;
}

void PictureLines::add_lines(const Timeline& timeline) {
  const bool is_over = &timeline == over;
  const auto add = [&](const std::string& name, bool right_axis) {
    const Column numbers = timeline.values().column(name).as_numbers();
    for (const Strand& strand : timeline.strands()) {
      std::string title = shown_name(look, name);
      if (strand.key) title += " " + key_text(*strand.key);
      if (all.size() > 1) title += fmt::format(" ({})", timeline.name());
      if (right_axis) title += ", right axis";
      lines.push_back({&timeline, strand, numbers, name, title, right_axis, is_over});
    }
  };
  for (const auto& name : own_names(timeline)) add(name, false);
  for (const auto& name : look.y2) {
    if (timeline.values().find(name)) add(name, true);
  }
}

bool PictureLines::find_span() {
  bool any = false;
  for (const Line& line : lines) {
    if (line.strand.size() == 0) continue;
    const auto times = line.timeline->times();
    const auto first = times[line.strand.begin], last = times[line.strand.end - 1];
    canvas.first = any ? std::min(canvas.first, first) : first;
    canvas.last = any ? std::max(canvas.last, last) : last;
    any = true;
  }
  if (!any) return false;
  // A bar is drawn whole: the last one as wide as the one before.
  if (look.bars) {
    Instant end = canvas.last;
    for (const Line& line : lines) {
      if (line.strand.size() < 2) continue;
      const auto times = line.timeline->times();
      const Instant last = times[line.strand.end - 1];
      end = std::max(end, last + (last - times[line.strand.end - 2]));
    }
    canvas.last = end;
  }
  if (canvas.first == canvas.last) {
    canvas.first -= std::chrono::seconds(1);
    canvas.last += std::chrono::seconds(1);
  }
  return true;
}

bool PictureLines::note_what_is_lost() {
  std::size_t readings = 0, not_drawable = 0;
  for (const DrawnLine& line : drawn) {
    readings += line.readings;
    not_drawable += line.not_drawable;
  }
  if (not_drawable > 0) {
    notes.push_back(fmt::format("‹log›: {} readings are not above zero and have no place",
                                grouped(static_cast<std::int64_t>(not_drawable))));
  }
  if (readings > 0) return true;
  nothing = not_drawable > 0 ? "no reading is above zero" : "every reading is missing";
  return false;
}

/// One, or one for each strand, file or column; of bars of several levels one for each level.
std::vector<PictureLines::PanelLines> PictureLines::find_panels() {
  std::vector<PanelLines> found;
  const bool of_levels =
      look.bars && look.panels == Panels::none && by_level.size() == 1 && by_level[0].size() > 1;
  const bool one = look.panels == Panels::none && !of_levels;
  if (one) found.emplace_back();
  for (std::size_t n = 0; n < lines.size(); ++n) {
    if (drawn[n].readings == 0) continue;
    if (one) {
      found[0].lines.push_back(n);
      continue;
    }
    // What is laid over lies in the first one's panels.
    const Timeline& timeline = lines[n].over ? *all.front() : *lines[n].timeline;
    std::string title;
    if (of_levels) {
      title = timeline.name();
    } else if (look.panels == Panels::columns) {
      title = shown_name(look, lines[n].name);
    } else if (files > 1) {
      title = timeline.name();
      if (lines[n].strand.key) title += ", " + key_text(*lines[n].strand.key);
    } else {
      title =
          lines[n].strand.key ? key_text(*lines[n].strand.key) : shown_name(look, lines[n].name);
    }
    auto at = std::ranges::find(found, title, &PanelLines::title);
    if (at == found.end()) at = found.insert(found.end(), {title, {}});
    at->lines.push_back(n);
  }
  constexpr std::size_t most_told_apart = 24;
  for (const PanelLines& panel : found) {
    if (panel.lines.size() <= most_told_apart) continue;
    notes.push_back(fmt::format(
        "{} lines in one panel are too many to be told apart; choose some (‹keys›, ‹y›), or draw "
        "them as lanes (gaps)",
        panel.lines.size()));
  }
  if (found.size() > most_panels) {
    fail_usage("‹panels›: {} panels are more than fit, which is {}; draw fewer keys", found.size(),
               most_panels);
  }
  return found;
}

void PictureLines::find_changes() {
  changed = ChangedReadings(all);
  if (look.marks && !changed.any()) {
    notes.emplace_back("‹marks›: no column A_clipped or A_filled names a reading that was changed");
  }
  for (const Line& line : lines) {
    const bool marked = !line.over && !line.right_axis;
    marks.push_back(marked ? changed.of(line, canvas) : std::vector<Point>());
    if (!line.right_axis && changed.any()) kept_range.add(range_without(line, changed));
  }
}

}  // namespace zerobeat::detail
