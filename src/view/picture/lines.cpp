#include "view/picture/lines.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>
#include <zerobeat/base/text.hpp>

#include "base/wide.hpp"
#include "view/picture/chosen_lines.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_titles = 16;

/// The script that draws them, in one panel or several.
class Script {
 public:
  explicit Script(const PictureLines& its) : its_(its) {}

  std::string text() const {
    std::string out;
    put_data(out);
    if (its_.panels.size() > 1) out += layout_of(its_.panels.size());
    for (std::size_t p = 0; p < its_.panels.size(); ++p)
      put_panel(out, its_.panels[p], its_.panels.size() > 1);
    if (its_.panels.size() > 1) out += "unset multiplot\n";
    return out;
  }

  std::string time_text(Instant t) const {
    if (its_.axis.is_instants()) return to_text(t);
    std::string text;
    append_elapsed(text, t, *its_.axis.elapsed);
    return text + " " + to_text(*its_.axis.elapsed);
  }

  Caption caption() const {
    std::vector<std::string> titles;
    std::size_t readings = 0;
    for (std::size_t n = 0; n < its_.lines.size(); ++n) {
      readings += its_.drawn[n].readings;
      if (titles.size() < most_titles) titles.push_back(shown(its_.lines[n].title));
    }
    return {fmt::format("{}", fmt::join(titles, ", ")),
            fmt::format("{} readings in {} lines, from {} to {}",
                        grouped(static_cast<std::int64_t>(readings)), its_.lines.size(),
                        time_text(its_.canvas.first), time_text(its_.canvas.last))};
  }

 private:
  /// The width of each bar: to the next row, the last one's as the one before; before a gap the
  /// usual one.
  std::vector<double> widths_of(const Line& line) const {
    const auto times = line.timeline->times().subspan(line.strand.begin, line.strand.size());
    std::vector<double> widths;
    for (std::size_t i = 0; i + 1 < times.size(); ++i) {
      widths.push_back(its_.canvas.x(times[i + 1]) - its_.canvas.x(times[i]));
    }
    widths.push_back(widths.empty() ? its_.canvas.x(its_.canvas.last) : widths.back());
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
    for (std::size_t n = 0; n < its_.lines.size(); ++n) {
      if (its_.look.bars) {
        put_bars(out, n);
        continue;
      }
      std::string line, dots, partial;
      std::vector<Point> alone;
      for (const auto& stretch : its_.drawn[n].stretches) {
        if (stretch.size() == 1) {
          // A reading between two gaps is a dot, or nobody would see it.
          alone.push_back(stretch[0]);
        } else if (!stretch.empty()) {
          put_points(line, stretch);
          line += "\n";
        }
      }
      put_points(dots, alone);
      put_points(partial, its_.drawn[n].partial);
      put_block(out, "line", n, line);
      put_block(out, "dots", n, dots);
      put_block(out, "partial", n, partial);
      put_changes(out, n);
    }
  }

  /// Bars of one line within their buckets: side by side with those of the other lines.
  void put_bars(std::string& out, std::size_t n) const {
    const Line& line = its_.lines[n];
    const auto widths = widths_of(line);
    std::size_t place = 0, beside = 1;
    for (const PictureLines::Panel& panel : its_.panels) {
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
      if (!line.column.valid(row) || !std::isfinite(value) || (its_.look.log && value <= 0))
        continue;
      const double x = 0.86 * widths[i] / static_cast<double>(beside);
      const double left = its_.canvas.x(line.timeline->times()[row]) + 0.07 * widths[i];
      const double middle = left + x * (static_cast<double>(place) + 0.5);
      const bool is_partial = partial != nullptr && partial->valid(row) && partial->boolean(row);
      fmt::format_to(std::back_inserter(is_partial ? part : whole), "{:.9f} {} {:.9f}\n", middle,
                     value, x);
    }
    put_block(out, "bars", n, whole);
    put_block(out, "partial", n, part);
  }

  /// The left axis without what was changed, and some room.
  std::pair<double, double> left_range() const {
    const double room = 0.06 * std::max(its_.kept_range.most - its_.kept_range.least, 1e-12);
    std::pair<double, double> range{its_.kept_range.least - room, its_.kept_range.most + room};
    if (its_.look.y_range && !std::isinf(its_.look.y_range->low))
      range.first = its_.look.y_range->low;
    if (its_.look.y_range && !std::isinf(its_.look.y_range->high))
      range.second = its_.look.y_range->high;
    return range;
  }

  /// Blocks $marks, and $beyond for those that the axis does not hold: at its edge.
  void put_changes(std::string& out, std::size_t n) const {
    if (its_.look.band) {
      std::string band;
      for (const auto& stretch : band_of(its_.lines[n], its_.canvas)) {
        for (const BandRow& row : stretch) {
          band += fmt::format("{:.9f} {} {}\n", row.x, row.low, row.high);
        }
        band += "\n";
      }
      put_block(out, "band", n, band);
    }
    if (its_.marks.empty()) return;
    const auto [low, high] = left_range();
    std::string inside, above, below;
    for (const Point& point : its_.marks[n]) {
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
    if (its_.marks.empty()) return;
    const auto [low, high] = left_range();
    const double end = its_.canvas.x(its_.canvas.last), apart = 0.06 * end;
    double last_above = -end, last_below = -end;
    int level_above = 0, level_below = 0;
    constexpr int most_levels = 6;
    // The words on a change of the clocks stand at the top, beside it.
    const auto beside_clocks = [&](double x) {
      return its_.axis.is_instants() &&
             std::ranges::any_of(clock_changes(its_.canvas.first, its_.canvas.last, its_.zone),
                                 [&](const ClockChange& change) {
                                   return std::fabs(its_.canvas.x(change.at) - x) < 0.15 * end;
                                 });
    };
    for (const Point& point : its_.marks[n]) {
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
    if (its_.look.band && !band_of(its_.lines[n], its_.canvas).empty()) {
      before.push_back(fmt::format(
          "$band{} using 1:2:3 with filledcurves fillstyle solid 1 linecolor rgb \"{}\" title {}",
          n, band_ink, in_quotes("no outlier")));
    }
    if (its_.marks.empty() || its_.marks[n].empty()) return;
    const auto [low, high] = left_range();
    const auto is_held = [low = low, high = high](const Point& point) {
      return point.y >= low && point.y <= high;
    };
    const auto title = [&] {
      return std::exchange(titled, true) ? std::string("notitle") : in_quotes("changed");
    };
    const auto plot = [&](const char* kind, const std::string& how) {
      const std::string word = title();
      after.push_back(fmt::format("${}{} using 1:2 with points {} linecolor rgb \"{}\" {}", kind, n,
                                  how, changed_ink, word == "notitle" ? word : "title " + word));
    };
    if (std::ranges::any_of(its_.marks[n], is_held)) {
      plot("marks", "pointtype 6 pointsize 1.5 linewidth 1.8");
    }
    const auto beyond = [&](auto&& is_there, const char* kind, int type) {
      if (std::ranges::none_of(its_.marks[n], is_there)) return;
      plot(kind, fmt::format("pointtype {} pointsize 1.4", type));
    };
    beyond([high = high](const Point& point) { return point.y > high; }, "above", 9);
    beyond([low = low](const Point& point) { return point.y < low; }, "below", 11);
  }

  std::string x_label() const {
    if (its_.axis.is_instants())
      return its_.zone.is_utc() ? "UTC" : "local time, " + its_.zone.name();
    const std::string since = since_text(its_.axis);
    return since.empty() ? its_.all.front()->time_name() : since;
  }

  std::string axis_label(const PictureLines::Panel& panel, bool right) const {
    std::vector<std::string> names;
    for (const std::size_t n : panel.lines) {
      if (its_.lines[n].right_axis == right &&
          std::ranges::find(names, its_.lines[n].name) == names.end()) {
        names.push_back(its_.lines[n].name);
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
    for (std::size_t n = 0; n < its_.lines.size(); ++n) {
      if (its_.lines[n].right_axis || its_.drawn[n].readings == 0) continue;
      least = any ? std::min(least, its_.drawn[n].least) : its_.drawn[n].least;
      most = any ? std::max(most, its_.drawn[n].most) : its_.drawn[n].most;
      any = true;
    }
    if (!any || least == most) return "";
    if (its_.look.log) return fmt::format("set yrange [{}:{}]\n", least / 1.2, most * 1.2);
    const double room = 0.05 * (most - least);
    const bool from_zero = its_.look.bars && least >= 0;
    return fmt::format("set yrange [{}:{}]\n", from_zero ? 0 : least - room, most + room);
  }

  /// Ticks at 1, 2 and 5 of each power of ten; of many powers at those alone.
  std::string log_ticks(const PictureLines::Panel& panel, bool of_all) const {
    double least = 0, most = 0;
    for (std::size_t n = 0; n < its_.lines.size(); ++n) {
      const bool own = of_all || std::ranges::find(panel.lines, n) != panel.lines.end();
      if (!own || its_.lines[n].right_axis || its_.drawn[n].readings == 0) continue;
      least = least == 0 ? its_.drawn[n].least : std::min(least, its_.drawn[n].least);
      most = std::max(most, its_.drawn[n].most);
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

  void put_marks(std::string& out, const PictureLines::Panel& panel) const {
    const auto changes = its_.axis.is_instants()
                             ? clock_changes(its_.canvas.first, its_.canvas.last, its_.zone)
                             : std::vector<ClockChange>();
    for (const auto& change : changes) {
      const double x = its_.canvas.x(change.at);
      out += fmt::format(
          "set arrow from first {0:.9f}, graph 0 to first {0:.9f}, graph 1 nohead dashtype 2 "
          "linecolor rgb \"#8a949c\"\n",
          x);
      const auto minutes = std::abs(change.by.count()) / 60;
      const bool room_right = x < 0.8 * its_.canvas.x(its_.canvas.last);
      out += fmt::format(
          "set label \"clocks go {} {}\" at first {:.9f}, graph 0.98 {} offset {},0 "
          "textcolor rgb \"#6a747c\"\n",
          change.by.count() < 0 ? "back" : "ahead",
          minutes % 60 == 0 ? fmt::format("{} h", minutes / 60) : fmt::format("{} min", minutes), x,
          room_right ? "left" : "right", room_right ? 1 : -1);
    }
    if (its_.look.gaps) {
      std::vector<std::vector<std::pair<double, double>>> gaps;
      for (const std::size_t n : panel.lines) gaps.push_back(its_.drawn[n].gaps);
      for (const auto& [from, until] : common_gaps(gaps)) {
        out += fmt::format(
            "set object rectangle from first {:.9f}, graph 0 to first {:.9f}, graph 1 behind "
            "fillcolor rgb \"#f3e9d8\" fillstyle solid noborder\n",
            from, until);
      }
    }
    if (!its_.look.spells.empty()) {
      std::vector<Stretches> own;
      for (const std::size_t n : panel.lines) own.push_back(its_.spells.of(its_.lines[n]));
      for (const auto& [from, until] : together(own)) {
        out += fmt::format(
            "set object rectangle from first {:.9f}, graph 0 to first {:.9f}, graph 1 behind "
            "fillcolor rgb \"{}\" fillstyle solid noborder\n",
            from, until, spell_ink);
      }
    }
    for (const std::size_t n : panel.lines) {
      if (!its_.look.mean || !std::isfinite(its_.drawn[n].mean)) continue;
      const char* axis = its_.lines[n].right_axis ? "second" : "first";
      out += fmt::format(
          "set arrow from graph 0, {0} {1} to graph 1, {0} {1} nohead front dashtype 2 linewidth "
          "1.4 "
          "linecolor rgb \"{2}\"\n",
          axis, its_.drawn[n].mean, ink(ink_of(n)));
      out += fmt::format(
          "set label \"mean {:.6g}\" at graph 0.995, {} {} right boxed offset 0,0.6 front "
          "textcolor "
          "rgb "
          "\"{}\"\n",
          its_.drawn[n].mean, axis, its_.drawn[n].mean, ink(ink_of(n)));
    }
  }

  void put_frame(std::string& out, const PictureLines::Panel& panel, bool several) const {
    const bool right =
        std::ranges::any_of(panel.lines, [&](std::size_t n) { return its_.lines[n].right_axis; });
    out += "unset arrow\nunset label\nunset object\nset style textbox opaque noborder\n" +
           plain_frame();
    if (right) out += "set border 11\nset y2tics textcolor rgb \"#333c44\" nomirror\n";
    out += fmt::format("set xrange [0:{:.9f}]\n", its_.canvas.x(its_.canvas.last));
    out += "set offsets 0, 0, graph 0.04, graph 0.04\n";
    if (its_.look.log) out += "set logscale y\n" + log_ticks(panel, several);
    if (several) {
      out += shared_scale() + "set offsets 0, 0, 0, 0\n";
    } else if (its_.look.bars) {
      const bool from_zero =
          std::ranges::all_of(panel.lines, [&](std::size_t n) { return its_.drawn[n].least >= 0; });
      if (from_zero && !its_.look.log) out += "set yrange [0:*]\nset offsets 0, 0, graph 0.04, 0\n";
    }
    if (!its_.marks.empty() && its_.changed.any() && its_.kept_range.any) {
      const auto [low, high] = left_range();
      out += fmt::format("set yrange [{}:{}]\nset offsets 0, 0, 0, 0\n", low, high);
    } else if (its_.look.y_range) {
      const auto side = [](double bound) {
        return std::isinf(bound) ? std::string("*") : fmt::format("{}", bound);
      };
      out += fmt::format("set yrange [{}:{}]\nset offsets 0, 0, {}, {}\n",
                         side(its_.look.y_range->low), side(its_.look.y_range->high),
                         std::isinf(its_.look.y_range->high) ? "graph 0.04" : "0",
                         std::isinf(its_.look.y_range->low) ? "graph 0.04" : "0");
    }
    out += fmt::format("set ylabel {} textcolor rgb \"{}\"\n", in_quotes(axis_label(panel, false)),
                       text_ink);
    if (right) {
      out += fmt::format("set y2label {} textcolor rgb \"{}\"\n",
                         in_quotes(axis_label(panel, true)), text_ink);
    }
    out += fmt::format("set xlabel {} textcolor rgb \"{}\"\n", in_quotes(x_label()), text_ink);
    // The keys of panels stand over them, the columns beside, when there are several.
    if (several) {
      out += fmt::format("set label {} at graph 0, graph 1.07 left textcolor rgb \"{}\"\n",
                         in_quotes(panel.title), text_ink);
      out += "set tmargin 3\n";
    }
    const bool one_column = several && std::ranges::all_of(panel.lines, [&](std::size_t n) {
                              return its_.lines[n].name == its_.lines[panel.lines[0]].name;
                            });
    out += one_column ? std::string("unset key\n")
                      : fmt::format(
                            "set key outside top {} horizontal Left reverse textcolor rgb "
                            "\"{}\" samplen 2 width 1\n",
                            several ? "right" : "left", text_ink);
    const int across = several && its_.panels.size() > 3 ? 2 : 1;
    std::string ticks;
    bool two_lines = false;
    const int most = its_.look.size.width / across / (several ? 115 : 90);
    for (const auto& tick :
         its_.axis.is_instants()
             ? time_ticks(its_.canvas.first, its_.canvas.last, its_.zone, most)
             : elapsed_ticks(its_.canvas.first, its_.canvas.last, *its_.axis.elapsed, most)) {
      two_lines |= !ticks.empty() && tick.label.find("\\n") != std::string::npos;
      ticks += fmt::format("{}\"{}\" {:.9f}", ticks.empty() ? "" : ", ", tick.label,
                           its_.canvas.x(tick.at));
    }
    out += fmt::format("set xtics ({})\n", ticks);
    // The axis' name stands below labels of two lines, not among them.
    if (two_lines) out += "set bmargin 5\nset xlabel offset 0,-0.9\n";
    put_marks(out, panel);
  }

  /// What lies under another line is pale.
  bool is_under(std::size_t n) const {
    return its_.over != nullptr && !its_.lines[n].over &&
           its_.lines[n].timeline == its_.all.front() && its_.all.size() == 2;
  }

  /// Panels of keys have the inks of their columns; else each line that is not pale has its own.
  std::size_t ink_of(std::size_t n) const {
    if (its_.look.panels && its_.lines[n].strand.key) {
      std::vector<std::string> names;
      for (const Line& line : its_.lines) {
        if (std::ranges::find(names, line.name) == names.end()) names.push_back(line.name);
      }
      return static_cast<std::size_t>(std::ranges::find(names, its_.lines[n].name) - names.begin());
    }
    std::size_t before = 0;
    for (std::size_t i = 0; i < n; ++i) before += !is_under(i) && its_.drawn[i].readings > 0;
    return before;
  }

  void put_panel(std::string& out, const PictureLines::Panel& panel, bool several) const {
    put_frame(out, panel, several);
    std::vector<std::string> plots, marked;
    std::size_t titles = 0;
    bool left = false, partial = false, titled = false;
    for (const std::size_t n : panel.lines) {
      add_changes(plots, marked, n, titled);
      put_edge_values(out, n);
    }
    for (const std::size_t n : panel.lines) {
      const Line& line = its_.lines[n];
      const char* axes = line.right_axis ? "x1y2" : "x1y1";
      left |= !line.right_axis;
      const std::string color = is_under(n) ? pale_ink : ink(ink_of(n));
      std::string title = "notitle";
      if (titles++ < most_titles) title = "title " + in_quotes(several ? line.name : line.title);
      if (its_.look.bars) {
        put_bar_plots(plots, n, axes, color, title, partial);
        continue;
      }
      const auto& stretches = its_.drawn[n].stretches;
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
      if (!its_.drawn[n].partial.empty()) {
        plots.push_back(fmt::format(
            "$partial{} using 1:2 axes {} with points pointtype 6 pointsize 1.3 linewidth 1.6 "
            "linecolor rgb \"{}\" {}",
            n, axes, color, partial ? "notitle" : "title \"partial bucket\""));
        partial = true;
      }
    }
    plots.insert(plots.end(), marked.begin(), marked.end());
    if (!its_.look.spells.empty()) {
      plots.push_back(
          fmt::format("keyentry with boxes fillstyle solid 1 noborder linecolor rgb "
                      "\"{}\" title {}",
                      spell_ink, in_quotes(its_.look.spells.text())));
    }
    if (!left) out += "set ytics format \"\"\n";
    out += fmt::format("plot {}\n", fmt::join(plots, ", \\\n  "));
  }

  void put_bar_plots(std::vector<std::string>& plots, std::size_t n, const char* axes,
                     const std::string& color, const std::string& title, bool& partial) const {
    const bool any_whole = its_.drawn[n].partial.size() < its_.drawn[n].readings;
    if (any_whole) {
      plots.push_back(
          fmt::format("$bars{} using 1:2:3 axes {} with boxes fillstyle solid 0.85 "
                      "noborder linecolor rgb \"{}\" {}",
                      n, axes, color, title));
    }
    if (its_.drawn[n].partial.empty()) return;
    plots.push_back(
        fmt::format("$partial{} using 1:2:3 axes {} with boxes fillstyle pattern 4 "
                    "linecolor rgb \"{}\" {}",
                    n, axes, color, partial ? "notitle" : "title \"partial bucket\""));
    partial = true;
  }

  const PictureLines& its_;
};

}  // namespace

DrawnPicture lines_picture(std::span<const Timeline> timelines, const Timeline* over,
                           const Figure& look) {
  const PictureLines lines(timelines, over, look);
  const Script script(lines);
  return {script.text(), script.caption(), lines.notes};
}

}  // namespace zerobeat::detail
