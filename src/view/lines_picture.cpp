#include "view/lines_picture.hpp"

#include <algorithm>
#include <cmath>
#include <deque>
#include <vector>
#include <zerobeat/base/text.hpp>

#include "base/wide.hpp"
#include "view/changes.hpp"
#include "view/line.hpp"
#include "view/shades.hpp"
#include "view/ticks.hpp"

namespace zerobeat::detail {

namespace {

constexpr std::size_t most_panels = 24;
constexpr std::size_t most_titles = 16;

/// Lines over time, in one panel or several.
class Picture {
 public:
  Picture(std::span<const Timeline> timelines, const Timeline* over, const Figure& look)
      : look_(look), over_(over) {
    for (const Timeline& timeline : timelines) {
      by_level_.push_back(levels_of(timeline));
      for (const Timeline& level : by_level_.back()) all_.push_back(&level);
    }
    files_ = timelines.size();
    if (over != nullptr) all_.push_back(over);
    zone_ = all_.front()->zone();
    axis_ = all_.front()->axis();
    for (const Timeline* timeline : all_) {
      const Axis& own = timeline->axis();
      if (own.is_instants() == axis_.is_instants() && own.is_count() == axis_.is_count()) continue;
      fail_usage("the times of {} are {} and those of {} {}; they have no common axis",
                 all_.front()->name(), to_text(axis_), timeline->name(), to_text(own));
    }
    check_names();
    for (const Timeline* timeline : all_) add_lines(*timeline);
    find_span();
    if (!look.spells.empty()) spells_ = shades_of(all_, look.spells, canvas_);
    for (const Line& line : lines_) drawn_.push_back(drawn_line(line, canvas_));
    if (look.marks) find_changes();
    note_what_is_lost();
    panels_ = find_panels();
  }

  std::string script() const {
    std::string out;
    put_data(out);
    if (panels_.size() > 1) out += layout_of(panels_.size());
    for (std::size_t p = 0; p < panels_.size(); ++p) put_panel(out, panels_[p], panels_.size() > 1);
    if (panels_.size() > 1) out += "unset multiplot\n";
    return out;
  }

  const std::vector<std::string>& notes() const { return notes_; }

  std::string time_text(Instant t) const {
    if (axis_.is_instants()) return to_text(t);
    std::string text;
    append_elapsed(text, t, *axis_.elapsed);
    return text + " " + to_text(*axis_.elapsed);
  }

  Caption caption() const {
    std::vector<std::string> titles;
    std::size_t readings = 0;
    for (std::size_t n = 0; n < lines_.size(); ++n) {
      readings += drawn_[n].readings;
      if (titles.size() < most_titles) titles.push_back(shown(lines_[n].title));
    }
    return {fmt::format("{}", fmt::join(titles, ", ")),
            fmt::format("{} readings in {} lines, from {} to {}",
                        grouped(static_cast<std::int64_t>(readings)), lines_.size(),
                        time_text(canvas_.first), time_text(canvas_.last))};
  }

 private:
  /// A timeline of several levels is a line for each: its rows, level by level.
  static std::vector<Timeline> levels_of(const Timeline& timeline) {
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
    return out;
  }

  struct Panel {
    std::string title;
    std::vector<std::size_t> lines;
  };

  void check_names() const {
    std::vector<std::string> known;
    for (const Timeline* timeline : all_) {
      for (const auto& name : timeline->values().names()) known.push_back(name);
    }
    for (const auto* names : {&look_.y, &look_.y2}) {
      for (const auto& name : *names) {
        if (std::ranges::find(known, name) == known.end()) {
          fail_usage("there is no column \"{}\" to draw{}", name, did_you_mean(name, known));
        }
        for (const Timeline* timeline : all_) {
          const auto place = timeline->values().find(name);
          if (place && !timeline->values().columns()[*place].is_numeric()) {
            fail_usage("column \"{}\" holds no numbers to draw", name);
          }
        }
      }
    }
  }

  /// The asked columns that this timeline has; when it has none of them, all its numeric ones.
  std::vector<std::string> own_names(const Timeline& timeline) const {
    std::vector<std::string> names;
    for (const auto& name : look_.y) {
      if (timeline.values().find(name)) names.push_back(name);
    }
    const bool has_right = std::ranges::any_of(
        look_.y2, [&](const auto& name) { return timeline.values().find(name).has_value(); });
    if (names.empty() && (look_.y.empty() || !has_right)) {
      for (const auto& name : timeline.values().numeric_names()) {
        if (std::ranges::find(look_.y2, name) == look_.y2.end()) names.push_back(name);
      }
    }
    return names;
  }

  void add_lines(const Timeline& timeline) {
    const bool over = &timeline == over_;
    const auto add = [&](const std::string& name, bool right_axis) {
      const Column numbers = timeline.values().column(name).as_numbers();
      for (const Strand& strand : timeline.strands()) {
        std::string title = name;
        if (strand.key) title += " " + key_text(*strand.key);
        if (all_.size() > 1) title += " (" + timeline.name() + ")";
        if (right_axis) title += ", right axis";
        lines_.push_back({&timeline, strand, numbers, name, title, right_axis, over});
      }
    };
    for (const auto& name : own_names(timeline)) add(name, false);
    for (const auto& name : look_.y2) {
      if (timeline.values().find(name)) add(name, true);
    }
  }

  void find_span() {
    bool any = false;
    for (const Line& line : lines_) {
      if (line.strand.size() == 0) continue;
      const auto times = line.timeline->times();
      const auto first = times[line.strand.begin], last = times[line.strand.end - 1];
      canvas_.first = any ? std::min(canvas_.first, first) : first;
      canvas_.last = any ? std::max(canvas_.last, last) : last;
      any = true;
    }
    if (!any) fail_usage("there is nothing to draw: no rows, or no numeric column");
    // A bar is drawn whole: the last one as wide as the one before.
    if (look_.bars) {
      Instant end = canvas_.last;
      for (const Line& line : lines_) {
        if (line.strand.size() < 2) continue;
        const auto times = line.timeline->times();
        const Instant last = times[line.strand.end - 1];
        end = std::max(end, last + (last - times[line.strand.end - 2]));
      }
      canvas_.last = end;
    }
    if (canvas_.first == canvas_.last) {
      canvas_.first -= std::chrono::seconds(1);
      canvas_.last += std::chrono::seconds(1);
    }
    canvas_.width = look_.size.width;
    canvas_.log = look_.log;
  }

  void note_what_is_lost() {
    std::size_t readings = 0, not_drawable = 0;
    for (const DrawnLine& line : drawn_) {
      readings += line.readings;
      not_drawable += line.not_drawable;
    }
    if (not_drawable > 0) {
      notes_.push_back(fmt::format("--log: {} readings are not above zero and have no place",
                                   grouped(static_cast<std::int64_t>(not_drawable))));
    }
    if (readings == 0) {
      fail_usage("there is nothing to draw: {}",
                 not_drawable > 0 ? "no reading is above zero" : "every reading is missing");
    }
  }

  /// One, or one for each strand; of a timeline without a key, for each column.
  std::vector<Panel> find_panels() const {
    std::vector<Panel> panels;
    if (!look_.panels) panels.emplace_back();
    for (std::size_t n = 0; n < lines_.size(); ++n) {
      if (drawn_[n].readings == 0) continue;
      if (!look_.panels) {
        panels[0].lines.push_back(n);
        continue;
      }
      // Each file's columns have panels of their own; what is laid over lies in the first one's.
      const Timeline& own = lines_[n].over ? *all_.front() : *lines_[n].timeline;
      std::string title = key_text(lines_[n].strand.key.value_or(lines_[n].name));
      if (files_ > 1) title += " (" + own.name() + ")";
      auto at = std::ranges::find(panels, title, &Panel::title);
      if (at == panels.end()) at = panels.insert(panels.end(), {title, {}});
      at->lines.push_back(n);
    }
    if (panels.size() > most_panels) {
      fail_usage("--panels: {} panels are more than fit, which is {}; draw fewer keys",
                 panels.size(), most_panels);
    }
    return panels;
  }

  /// The width of each bar: to the next row, the last one's as the one before; before a gap the
  /// usual one.
  std::vector<double> widths_of(const Line& line) const {
    const auto times = line.timeline->times().subspan(line.strand.begin, line.strand.size());
    std::vector<double> widths;
    for (std::size_t i = 0; i + 1 < times.size(); ++i) {
      widths.push_back(canvas_.x(times[i + 1]) - canvas_.x(times[i]));
    }
    widths.push_back(widths.empty() ? canvas_.x(canvas_.last) : widths.back());
    // A gap is no bucket: what is far wider than usual is as wide as usual.
    std::vector<double> sorted = widths;
    const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
    std::nth_element(sorted.begin(), middle, sorted.end());
    for (double& width : widths) {
      if (width > 1.6 * *middle) width = *middle;
    }
    return widths;
  }

  static void put_points(std::string& out, const std::vector<Point>& points) {
    for (const Point& point : points) {
      fmt::format_to(std::back_inserter(out), "{:.9f} {}\n", point.x, point.y);
    }
  }

  void put_block(std::string& out, const char* kind, std::size_t n, const std::string& data) const {
    if (data.empty()) return;
    out += fmt::format("${}{} << END_OF_DATA\n{}END_OF_DATA\n", kind, n, data);
  }

  /// Named blocks of what is drawn: $line, $dots, $partial and $bars with the line's number.
  void put_data(std::string& out) const {
    for (std::size_t n = 0; n < lines_.size(); ++n) {
      if (look_.bars) {
        put_bars(out, n);
        continue;
      }
      std::string line, dots, partial;
      std::vector<Point> alone;
      for (const auto& stretch : drawn_[n].stretches) {
        if (stretch.size() == 1) {
          // A reading between two gaps is a dot, or nobody would see it.
          alone.push_back(stretch[0]);
        } else if (!stretch.empty()) {
          put_points(line, stretch);
          line += "\n";
        }
      }
      put_points(dots, alone);
      put_points(partial, drawn_[n].partial);
      put_block(out, "line", n, line);
      put_block(out, "dots", n, dots);
      put_block(out, "partial", n, partial);
      put_changes(out, n);
    }
  }

  /// Bars of one line within their buckets: side by side with those of the other lines.
  void put_bars(std::string& out, std::size_t n) const {
    const Line& line = lines_[n];
    const auto widths = widths_of(line);
    std::size_t place = 0, beside = 1;
    for (const Panel& panel : panels_) {
      const auto at = std::ranges::find(panel.lines, n);
      if (at == panel.lines.end()) continue;
      place = static_cast<std::size_t>(at - panel.lines.begin());
      beside = panel.lines.size();
    }
    const Table& table = line.timeline->values();
    const auto partial_place = table.find("partial");
    const Column* partial = nullptr;
    if (partial_place && table.columns()[*partial_place].type() == Column::Type::boolean) {
      partial = &table.columns()[*partial_place];
    }
    std::string whole, part;
    for (std::size_t i = 0; i < line.strand.size(); ++i) {
      const std::size_t row = line.strand.begin + i;
      const double value = line.column.numbers()[row];
      if (!line.column.valid(row) || !std::isfinite(value) || (look_.log && value <= 0)) continue;
      const double own = 0.86 * widths[i] / static_cast<double>(beside);
      const double left = canvas_.x(line.timeline->times()[row]) + 0.07 * widths[i];
      const double middle = left + own * (static_cast<double>(place) + 0.5);
      const bool is_partial = partial != nullptr && partial->valid(row) && partial->boolean(row);
      fmt::format_to(std::back_inserter(is_partial ? part : whole), "{:.9f} {} {:.9f}\n", middle,
                     value, own);
    }
    put_block(out, "bars", n, whole);
    put_block(out, "partial", n, part);
  }

  void find_changes() {
    changed_ = ChangedReadings(all_);
    if (!changed_.any()) {
      notes_.push_back("--marks: no column A_clipped or A_filled names a reading that was changed");
    }
    for (const Line& line : lines_) {
      const bool marked = !line.over && !line.right_axis;
      marks_.push_back(marked ? changed_.of(line, canvas_) : std::vector<Point>());
      if (!line.right_axis) kept_range_.add(range_without(line, changed_));
    }
  }

  /// The left axis without what was changed, and some room.
  std::pair<double, double> left_range() const {
    const double room = 0.06 * std::max(kept_range_.most - kept_range_.least, 1e-12);
    std::pair<double, double> range{kept_range_.least - room, kept_range_.most + room};
    if (look_.y_range && !std::isinf(look_.y_range->low)) range.first = look_.y_range->low;
    if (look_.y_range && !std::isinf(look_.y_range->high)) range.second = look_.y_range->high;
    return range;
  }

  /// Blocks $marks, and $beyond for those that the axis does not hold: at its edge.
  void put_changes(std::string& out, std::size_t n) const {
    if (look_.band) {
      std::string band;
      for (const auto& stretch : band_of(lines_[n], canvas_)) {
        for (const BandRow& row : stretch) {
          band += fmt::format("{:.9f} {} {}\n", row.x, row.low, row.high);
        }
        band += "\n";
      }
      put_block(out, "band", n, band);
    }
    if (marks_.empty()) return;
    const auto [low, high] = left_range();
    std::string inside, above, below;
    for (const Point& point : marks_[n]) {
      (point.y > high  ? above
       : point.y < low ? below
                       : inside) +=
          fmt::format("{:.9f} {}\n", point.x, std::clamp(point.y, low, high));
    }
    put_block(out, "marks", n, inside);
    put_block(out, "above", n, above);
    put_block(out, "below", n, below);
  }

  /// The values of what stands at the edge, below each other where they would meet.
  void put_edge_values(std::string& out, std::size_t n) const {
    if (marks_.empty()) return;
    const auto [low, high] = left_range();
    const double end = canvas_.x(canvas_.last), apart = 0.06 * end;
    double last_above = -end, last_below = -end;
    int level_above = 0, level_below = 0;
    constexpr int most_levels = 6;
    // The words on a change of the clocks stand at the top, beside it.
    const auto beside_clocks = [&](double x) {
      return axis_.is_instants() &&
             std::ranges::any_of(clock_changes(canvas_.first, canvas_.last, zone_),
                                 [&](const ClockChange& change) {
                                   return std::fabs(canvas_.x(change.at) - x) < 0.15 * end;
                                 });
    };
    for (const Point& point : marks_[n]) {
      if (point.y >= low && point.y <= high) continue;
      const bool is_above = point.y > high;
      double& last = is_above ? last_above : last_below;
      int& level = is_above ? level_above : level_below;
      const int free = is_above && beside_clocks(point.x) ? 1 : 0;
      level = point.x - last < apart ? (level + 1) % most_levels : free;
      last = point.x;
      const bool left_half = point.x < 0.9 * end;
      out += fmt::format(
          "set label \"{:.4g}\" at first {:.9f}, first {} {} offset {},{} front textcolor rgb "
          "\"{}\"\n",
          point.y, point.x, is_above ? high : low, left_half ? "left" : "right",
          left_half ? 0.9 : -0.9, (is_above ? -1 : 1) * (0.7 + level), changed_ink);
    }
  }

  /// What plots the blocks of put_changes().
  void add_changes(std::vector<std::string>& before, std::vector<std::string>& after, std::size_t n,
                   bool& titled) const {
    if (look_.band && !band_of(lines_[n], canvas_).empty()) {
      before.push_back(fmt::format(
          "$band{} using 1:2:3 with filledcurves fillstyle solid 1 linecolor rgb \"{}\" title {}",
          n, band_ink, quoted("no outlier")));
    }
    if (marks_.empty() || marks_[n].empty()) return;
    const auto [low, high] = left_range();
    const auto is_held = [&](const Point& point) { return point.y >= low && point.y <= high; };
    const auto title = [&] {
      return std::exchange(titled, true) ? std::string("notitle") : quoted("changed");
    };
    const auto plot = [&](const char* kind, const std::string& how) {
      const std::string own = title();
      after.push_back(fmt::format("${}{} using 1:2 with points {} linecolor rgb \"{}\" {}", kind, n,
                                  how, changed_ink, own == "notitle" ? own : "title " + own));
    };
    if (std::ranges::any_of(marks_[n], is_held)) {
      plot("marks", "pointtype 6 pointsize 1.5 linewidth 1.8");
    }
    const auto beyond = [&](auto&& is_there, const char* kind, int type) {
      if (std::ranges::none_of(marks_[n], is_there)) return;
      plot(kind, fmt::format("pointtype {} pointsize 1.4", type));
    };
    beyond([high = high](const Point& point) { return point.y > high; }, "above", 9);
    beyond([low = low](const Point& point) { return point.y < low; }, "below", 11);
  }

  std::string x_label() const {
    if (axis_.is_instants()) return zone_.is_utc() ? "UTC" : "local time, " + zone_.name();
    const std::string since = since_text(axis_);
    return since.empty() ? all_.front()->time_name() : since;
  }

  std::string axis_label(const Panel& panel, bool right) const {
    std::vector<std::string> names;
    for (const std::size_t n : panel.lines) {
      if (lines_[n].right_axis == right &&
          std::ranges::find(names, lines_[n].name) == names.end()) {
        names.push_back(lines_[n].name);
      }
    }
    if (names.size() > 3)
      return fmt::format("{}, {} and {} more", names[0], names[1], names.size() - 2);
    return fmt::format("{}", fmt::join(names, ", "));
  }

  /// The scale that all panels share: of the left axis, a little more than what there is.
  std::string shared_scale() const {
    double least = 0, most = 0;
    bool any = false;
    for (std::size_t n = 0; n < lines_.size(); ++n) {
      if (lines_[n].right_axis || drawn_[n].readings == 0) continue;
      least = any ? std::min(least, drawn_[n].least) : drawn_[n].least;
      most = any ? std::max(most, drawn_[n].most) : drawn_[n].most;
      any = true;
    }
    if (!any || least == most) return "";
    if (look_.log) return fmt::format("set yrange [{}:{}]\n", least / 1.2, most * 1.2);
    const double room = 0.05 * (most - least);
    const bool from_zero = look_.bars && least >= 0;
    return fmt::format("set yrange [{}:{}]\n", from_zero ? 0 : least - room, most + room);
  }

  /// Ticks at 1, 2 and 5 of each power of ten; of many powers at those alone.
  std::string log_ticks(const Panel& panel, bool of_all) const {
    double least = 0, most = 0;
    for (std::size_t n = 0; n < lines_.size(); ++n) {
      const bool own = of_all || std::ranges::find(panel.lines, n) != panel.lines.end();
      if (!own || lines_[n].right_axis || drawn_[n].readings == 0) continue;
      least = least == 0 ? drawn_[n].least : std::min(least, drawn_[n].least);
      most = std::max(most, drawn_[n].most);
    }
    if (least <= 0) return "";
    const int first = static_cast<int>(std::floor(std::log10(least)));
    const int last = static_cast<int>(std::ceil(std::log10(most)));
    constexpr int few = 4;
    if (last - first > few) return "set ytics autofreq format \"%g\"\n";
    std::string ticks;
    for (int power = first; power <= last; ++power) {
      for (const int digit : {1, 2, 5}) {
        ticks += fmt::format("{}{:.6g}", ticks.empty() ? "" : ", ", digit * std::pow(10.0, power));
      }
    }
    return "set ytics (" + ticks + ")\n";
  }

  void put_marks(std::string& out, const Panel& panel) const {
    const auto changes = axis_.is_instants() ? clock_changes(canvas_.first, canvas_.last, zone_)
                                             : std::vector<ClockChange>();
    for (const auto& change : changes) {
      const double x = canvas_.x(change.at);
      out += fmt::format(
          "set arrow from first {0:.9f}, graph 0 to first {0:.9f}, graph 1 nohead dashtype 2 "
          "linecolor rgb \"#8a949c\"\n",
          x);
      const auto minutes = std::abs(change.by.count()) / 60;
      const bool room_right = x < 0.8 * canvas_.x(canvas_.last);
      out += fmt::format(
          "set label \"clocks go {} {}\" at first {:.9f}, graph 0.98 {} offset {},0 "
          "textcolor rgb \"#6a747c\"\n",
          change.by.count() < 0 ? "back" : "ahead",
          minutes % 60 == 0 ? fmt::format("{} h", minutes / 60) : fmt::format("{} min", minutes), x,
          room_right ? "left" : "right", room_right ? 1 : -1);
    }
    if (look_.gaps) {
      std::vector<std::vector<std::pair<double, double>>> gaps;
      for (const std::size_t n : panel.lines) gaps.push_back(drawn_[n].gaps);
      for (const auto& [from, until] : common_gaps(gaps)) {
        out += fmt::format(
            "set object rectangle from first {:.9f}, graph 0 to first {:.9f}, graph 1 behind "
            "fillcolor rgb \"#f3e9d8\" fillstyle solid noborder\n",
            from, until);
      }
    }
    if (!look_.spells.empty()) {
      std::vector<Stretches> own;
      for (const std::size_t n : panel.lines) own.push_back(spells_.of(lines_[n]));
      for (const auto& [from, until] : together(own)) {
        out += fmt::format(
            "set object rectangle from first {:.9f}, graph 0 to first {:.9f}, graph 1 behind "
            "fillcolor rgb \"{}\" fillstyle solid noborder\n",
            from, until, spell_ink);
      }
    }
    for (const std::size_t n : panel.lines) {
      if (!look_.mean || !std::isfinite(drawn_[n].mean)) continue;
      const char* axis = lines_[n].right_axis ? "second" : "first";
      out += fmt::format(
          "set arrow from graph 0, {0} {1} to graph 1, {0} {1} nohead front dashtype 2 linewidth "
          "1.4 "
          "linecolor rgb \"{2}\"\n",
          axis, drawn_[n].mean, ink(ink_of(n)));
      out += fmt::format(
          "set label \"mean {:.6g}\" at graph 0.995, {} {} right boxed offset 0,0.6 front "
          "textcolor "
          "rgb "
          "\"{}\"\n",
          drawn_[n].mean, axis, drawn_[n].mean, ink(ink_of(n)));
    }
  }

  void put_frame(std::string& out, const Panel& panel, bool several) const {
    const bool right =
        std::ranges::any_of(panel.lines, [&](std::size_t n) { return lines_[n].right_axis; });
    out += "unset arrow\nunset label\nunset object\nset style textbox opaque noborder\n" +
           plain_frame();
    if (right) out += "set border 11\nset y2tics textcolor rgb \"#333c44\" nomirror\n";
    out += fmt::format("set xrange [0:{:.9f}]\n", canvas_.x(canvas_.last));
    out += "set offsets 0, 0, graph 0.04, graph 0.04\n";
    if (look_.log) out += "set logscale y\n" + log_ticks(panel, several);
    if (several) {
      out += shared_scale() + "set offsets 0, 0, 0, 0\n";
    } else if (look_.bars) {
      const bool from_zero =
          std::ranges::all_of(panel.lines, [&](std::size_t n) { return drawn_[n].least >= 0; });
      if (from_zero && !look_.log) out += "set yrange [0:*]\nset offsets 0, 0, graph 0.04, 0\n";
    }
    if (!marks_.empty() && changed_.any() && kept_range_.any) {
      const auto [low, high] = left_range();
      out += fmt::format("set yrange [{}:{}]\nset offsets 0, 0, 0, 0\n", low, high);
    } else if (look_.y_range) {
      const auto side = [](double bound) {
        return std::isinf(bound) ? std::string("*") : fmt::format("{}", bound);
      };
      out += fmt::format("set yrange [{}:{}]\nset offsets 0, 0, {}, {}\n", side(look_.y_range->low),
                         side(look_.y_range->high),
                         std::isinf(look_.y_range->high) ? "graph 0.04" : "0",
                         std::isinf(look_.y_range->low) ? "graph 0.04" : "0");
    }
    out += fmt::format("set ylabel {} textcolor rgb \"{}\"\n", quoted(axis_label(panel, false)),
                       text_ink);
    if (right) {
      out += fmt::format("set y2label {} textcolor rgb \"{}\"\n", quoted(axis_label(panel, true)),
                         text_ink);
    }
    out += fmt::format("set xlabel {} textcolor rgb \"{}\"\n", quoted(x_label()), text_ink);
    // The keys of panels stand over them, the columns beside, when there are several.
    if (several) {
      out += fmt::format("set label {} at graph 0, graph 1.07 left textcolor rgb \"{}\"\n",
                         quoted(panel.title), text_ink);
      out += "set tmargin 3\n";
    }
    const bool one_column = several && std::ranges::all_of(panel.lines, [&](std::size_t n) {
                              return lines_[n].name == lines_[panel.lines[0]].name;
                            });
    out += one_column ? std::string("unset key\n")
                      : fmt::format(
                            "set key outside top {} horizontal Left reverse textcolor rgb "
                            "\"{}\" samplen 2 width 1\n",
                            several ? "right" : "left", text_ink);
    const int across = several && panels_.size() > 3 ? 2 : 1;
    std::string ticks;
    bool two_lines = false;
    const int most = look_.size.width / across / (several ? 115 : 90);
    for (const auto& tick :
         axis_.is_instants() ? time_ticks(canvas_.first, canvas_.last, zone_, most)
                             : elapsed_ticks(canvas_.first, canvas_.last, *axis_.elapsed, most)) {
      two_lines |= !ticks.empty() && tick.label.find("\\n") != std::string::npos;
      ticks +=
          fmt::format("{}\"{}\" {:.9f}", ticks.empty() ? "" : ", ", tick.label, canvas_.x(tick.at));
    }
    out += fmt::format("set xtics ({})\n", ticks);
    // The axis' name stands below labels of two lines, not among them.
    if (two_lines) out += "set bmargin 5\nset xlabel offset 0,-0.9\n";
    put_marks(out, panel);
  }

  /// What lies under another line is pale.
  bool is_under(std::size_t n) const {
    return over_ != nullptr && !lines_[n].over && lines_[n].timeline == all_.front() &&
           all_.size() == 2;
  }

  /// Panels of keys have the inks of their columns; else each line that is not pale has its own.
  std::size_t ink_of(std::size_t n) const {
    if (look_.panels && lines_[n].strand.key) {
      std::vector<std::string> names;
      for (const Line& line : lines_) {
        if (std::ranges::find(names, line.name) == names.end()) names.push_back(line.name);
      }
      return static_cast<std::size_t>(std::ranges::find(names, lines_[n].name) - names.begin());
    }
    std::size_t before = 0;
    for (std::size_t i = 0; i < n; ++i) before += !is_under(i) && drawn_[i].readings > 0;
    return before;
  }

  void put_panel(std::string& out, const Panel& panel, bool several) const {
    put_frame(out, panel, several);
    std::vector<std::string> plots, marked;
    std::size_t titles = 0;
    bool left = false, partial = false, titled = false;
    for (const std::size_t n : panel.lines) {
      add_changes(plots, marked, n, titled);
      put_edge_values(out, n);
    }
    for (const std::size_t n : panel.lines) {
      const Line& line = lines_[n];
      const char* axes = line.right_axis ? "x1y2" : "x1y1";
      left |= !line.right_axis;
      const std::string color = is_under(n) ? pale_ink : ink(ink_of(n));
      std::string title = "notitle";
      if (titles++ < most_titles) title = "title " + quoted(several ? line.name : line.title);
      if (look_.bars) {
        put_bar_plots(plots, n, axes, color, title, partial);
        continue;
      }
      const auto& stretches = drawn_[n].stretches;
      const auto alone =
          std::ranges::count_if(stretches, [](const auto& s) { return s.size() == 1; });
      if (static_cast<std::size_t>(alone) < stretches.size()) {
        plots.push_back(fmt::format(
            "$line{} using 1:2 axes {} with lines linecolor rgb \"{}\" "
            "linewidth {} dashtype {} {}",
            n, axes, color, line.over ? 2.2 : 1.6, line.right_axis ? "(6,3)" : "1", title));
        title = "notitle";
      }
      if (alone > 0) {
        plots.push_back(
            fmt::format("$dots{} using 1:2 axes {} with points pointtype 7 "
                        "pointsize 0.4 linecolor rgb \"{}\" {}",
                        n, axes, color, title));
      }
      if (!drawn_[n].partial.empty()) {
        plots.push_back(fmt::format(
            "$partial{} using 1:2 axes {} with points pointtype 6 pointsize 1.3 linewidth 1.6 "
            "linecolor rgb \"{}\" {}",
            n, axes, color, partial ? "notitle" : "title \"partial bucket\""));
        partial = true;
      }
    }
    plots.insert(plots.end(), marked.begin(), marked.end());
    if (!look_.spells.empty()) {
      plots.push_back(
          fmt::format("keyentry with boxes fillstyle solid 1 noborder linecolor rgb "
                      "\"{}\" title {}",
                      spell_ink, quoted(look_.spells.text())));
    }
    if (!left) out += "set ytics format \"\"\n";
    out += fmt::format("plot {}\n", fmt::join(plots, ", \\\n  "));
  }

  void put_bar_plots(std::vector<std::string>& plots, std::size_t n, const char* axes,
                     const std::string& color, const std::string& title, bool& partial) const {
    const bool any_whole = drawn_[n].partial.size() < drawn_[n].readings;
    if (any_whole) {
      plots.push_back(
          fmt::format("$bars{} using 1:2:3 axes {} with boxes fillstyle solid 0.85 "
                      "noborder linecolor rgb \"{}\" {}",
                      n, axes, color, title));
    }
    if (drawn_[n].partial.empty()) return;
    plots.push_back(
        fmt::format("$partial{} using 1:2:3 axes {} with boxes fillstyle pattern 4 "
                    "linecolor rgb \"{}\" {}",
                    n, axes, color, partial ? "notitle" : "title \"partial bucket\""));
    partial = true;
  }

  const Figure& look_;
  std::deque<std::vector<Timeline>> by_level_;
  std::vector<const Timeline*> all_;
  std::size_t files_ = 1;
  const Timeline* over_ = nullptr;
  Zone zone_;
  Axis axis_{};
  std::vector<Line> lines_;
  std::vector<DrawnLine> drawn_;
  std::vector<Panel> panels_;
  std::vector<std::string> notes_;
  Canvas canvas_;
  Shades spells_;
  ChangedReadings changed_;
  Range kept_range_;                       // of the left axis, what was changed left out
  std::vector<std::vector<Point>> marks_;  // of each line, when they are asked for
};

}  // namespace

DrawnPicture lines_picture(std::span<const Timeline> timelines, const Timeline* over,
                           const Figure& look) {
  const Picture picture(timelines, over, look);
  return {picture.script(), picture.caption(), picture.notes()};
}

}  // namespace zerobeat::detail
