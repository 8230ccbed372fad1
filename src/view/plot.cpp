#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <fstream>
#include <limits>
#include <optional>
#include <sstream>
#include <vector>
#include <zerobeat/view/plot.hpp>

#include "base/wide.hpp"
#include "view/ticks.hpp"

namespace zerobeat {

namespace {

/// One line of the picture: a column of a strand.
struct Line {
  const Timeline* timeline = nullptr;
  Strand strand;
  Column column;
  std::string title;
  bool right_axis = false;
  bool over = false;
};

struct Point {
  double x = 0, y = 0;
};

/// Stretches of a line without a gap.
using Stretches = std::vector<std::vector<Point>>;

/// Between instants as far apart as can be, too.
double seconds_between(Instant from, Instant to) {
  return static_cast<double>(Wide(nanoseconds_of(to)) - nanoseconds_of(from)) / 1e9;
}

/// Where a step is a gap: longer than three times both the typical step and the mean one, so
/// that records that come in bursts are not all torn apart.
double longest_step(std::span<const Instant> times) {
  const auto typical = typical_step(times);
  if (!typical) return std::numeric_limits<double>::infinity();
  const double mean =
      seconds_between(times.front(), times.back()) / static_cast<double>(times.size() - 1);
  return 3 * std::max(static_cast<double>(typical->count()) / 1e9, mean);
}

Stretches stretches_of(const Line& line, Instant origin) {
  Stretches out;
  const auto times = line.timeline->times().subspan(line.strand.begin, line.strand.size());
  if (times.empty()) return out;
  const double longest = longest_step(times);
  const auto values = line.column.numbers().subspan(line.strand.begin, line.strand.size());
  bool open = false;
  for (std::size_t i = 0; i < times.size(); ++i) {
    const bool there = line.column.valid(line.strand.begin + i) && std::isfinite(values[i]);
    const bool after_gap = i > 0 && seconds_between(times[i - 1], times[i]) > longest;
    if (!there || after_gap) open = false;
    if (!there) continue;
    if (!open) out.emplace_back();
    open = true;
    out.back().push_back({seconds_between(origin, times[i]), values[i]});
  }
  return out;
}

/// The first, least, greatest and last point of each pixel column, in order of time.
std::vector<Point> thinned(const std::vector<Point>& points, double x_per_pixel) {
  std::vector<Point> out;
  for (std::size_t i = 0; i < points.size();) {
    const double column = std::floor(points[i].x / x_per_pixel);
    std::size_t end = i, least = i, most = i;
    for (; end < points.size() && std::floor(points[end].x / x_per_pixel) == column; ++end) {
      if (points[end].y < points[least].y) least = end;
      if (points[end].y > points[most].y) most = end;
    }
    std::size_t chosen[] = {i, least, most, end - 1};
    std::ranges::sort(chosen);
    for (std::size_t k = 0; k < 4; ++k) {
      if (k == 0 || chosen[k] != chosen[k - 1]) out.push_back(points[chosen[k]]);
    }
    i = end;
  }
  return out;
}

/// Text as gnuplot's double-quoted string.
std::string quoted(std::string_view text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') out += '\\';
    out += c == '\n' || c == '`' ? ' ' : c;
  }
  return out + "\"";
}

constexpr const char* inks[] = {"#12678a", "#c2502c", "#6f8f2f", "#7b4f9d",
                                "#b8860b", "#2f8f7f", "#a23b63", "#4a5a6a"};
constexpr const char* pale_ink = "#a9bac4";

class Picture {
 public:
  Picture(std::span<const Timeline> timelines, const Timeline* over, const Figure& look)
      : look_(look) {
    for (const Timeline& timeline : timelines) all_.push_back(&timeline);
    if (over != nullptr) all_.push_back(over);
    zone_ = all_.front()->zone();
    over_ = over;
    check_names();
    for (const Timeline* timeline : all_) add_lines(*timeline);
    find_span();
  }

  std::string script(const std::string& terminal, const std::string& file) const {
    std::string out = fmt::format("set terminal {} size {},{} font \"DejaVu Sans,11\" noenhanced\n",
                                  terminal, look_.size.width, look_.size.height);
    out += fmt::format("set output {}\n", quoted(file));
    put_frame(out);
    put_data(out);
    return out + "unset output\n";
  }

 private:
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
        if (strand.key) title += " " + *strand.key;
        if (all_.size() > 1) title += " (" + timeline.name() + ")";
        if (right_axis) title += ", right axis";
        lines_.push_back({&timeline, strand, numbers, title, right_axis, over});
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
      first_ = any ? std::min(first_, times[line.strand.begin]) : times[line.strand.begin];
      last_ = any ? std::max(last_, times[line.strand.end - 1]) : times[line.strand.end - 1];
      any = true;
    }
    if (!any) fail_usage("there is nothing to draw: no rows, or no numeric column");
    if (first_ == last_) {
      first_ -= std::chrono::seconds(1);
      last_ += std::chrono::seconds(1);
    }
  }

  double x_of(Instant t) const { return seconds_between(first_, t); }

  std::string axis_label(bool right) const {
    std::vector<std::string> names;
    for (const Line& line : lines_) {
      const std::string name = line.title.substr(0, line.title.find(' '));
      if (line.right_axis == right && std::ranges::find(names, name) == names.end()) {
        names.push_back(name);
      }
    }
    if (names.size() > 3)
      return fmt::format("{}, {} and {} more", names[0], names[1], names.size() - 2);
    return fmt::format("{}", fmt::join(names, ", "));
  }

  void put_frame(std::string& out) const {
    const bool right = std::ranges::any_of(lines_, &Line::right_axis);
    out += "set border 3 linecolor rgb \"#5a6670\"\n";
    if (right) out += "set border 11\nset y2tics textcolor rgb \"#333c44\" nomirror\n";
    out += "set grid xtics ytics linecolor rgb \"#e3e8ec\" linewidth 1 linetype 1\n";
    out += "set tics nomirror scale 0.6 textcolor rgb \"#333c44\"\n";
    out += fmt::format("set xrange [0:{:.9f}]\n", x_of(last_));
    out += "set offsets 0, 0, graph 0.04, graph 0.04\n";
    out += fmt::format("set ylabel {} textcolor rgb \"#333c44\"\n", quoted(axis_label(false)));
    if (right) {
      out += fmt::format("set y2label {} textcolor rgb \"#333c44\"\n", quoted(axis_label(true)));
    }
    out += fmt::format("set xlabel {} textcolor rgb \"#333c44\"\n",
                       quoted(zone_.is_utc() ? std::string("UTC") : "local time, " + zone_.name()));
    out +=
        "set key outside top left horizontal Left reverse textcolor rgb \"#333c44\" samplen 2 "
        "width 1\n";
    std::string ticks;
    for (const auto& tick : detail::time_ticks(first_, last_, zone_, look_.size.width / 90)) {
      ticks += fmt::format("{}\"{}\" {:.9f}", ticks.empty() ? "" : ", ", tick.label, x_of(tick.at));
    }
    out += fmt::format("set xtics ({})\n", ticks);
    for (const auto& change : detail::clock_changes(first_, last_, zone_)) {
      const double x = x_of(change.at);
      out += fmt::format(
          "set arrow from first {0:.9f}, graph 0 to first {0:.9f}, graph 1 nohead dashtype 2 "
          "linecolor rgb \"#8a949c\"\n",
          x);
      const auto minutes = std::abs(change.by.count()) / 60;
      const bool room_right = x < 0.8 * x_of(last_);
      out += fmt::format(
          "set label \"clocks go {} {}\" at first {:.9f}, graph 0.98 {} offset {},0 "
          "textcolor rgb \"#6a747c\"\n",
          change.by.count() < 0 ? "back" : "ahead",
          minutes % 60 == 0 ? fmt::format("{} h", minutes / 60) : fmt::format("{} min", minutes), x,
          room_right ? "left" : "right", room_right ? 1 : -1);
    }
  }

  void put_points(std::string& out, const std::vector<Point>& points) const {
    for (const Point& point : points) {
      fmt::format_to(std::back_inserter(out), "{:.9f} {}\n", point.x, point.y);
    }
  }

  void put_data(std::string& out) const {
    std::vector<std::string> plots;
    std::size_t ink = 0, titles = 0;
    const double x_per_pixel = x_of(last_) / look_.size.width;
    for (std::size_t n = 0; n < lines_.size(); ++n) {
      const Line& line = lines_[n];
      const auto stretches = stretches_of(line, first_);
      std::size_t points = 0, alone = 0;
      for (const auto& stretch : stretches) {
        points += stretch.size();
        alone += stretch.size() == 1;
      }
      if (points == 0) continue;
      // What lies under another is pale, and what lies over it is drawn last and strong.
      const bool under =
          over_ != nullptr && !line.over && line.timeline == all_.front() && all_.size() == 2;
      const std::string color = under ? pale_ink : inks[ink++ % std::size(inks)];
      const bool many = points > static_cast<std::size_t>(look_.size.width);

      out += fmt::format("$line{} << END_OF_LINE\n", n);
      for (const auto& stretch : stretches) {
        if (stretch.size() > 1) put_points(out, many ? thinned(stretch, x_per_pixel) : stretch);
        if (stretch.size() > 1) out += "\n";
      }
      out += "END_OF_LINE\n";
      const char* axes = line.right_axis ? "x1y2" : "x1y1";
      constexpr std::size_t most_titles = 16;
      std::string title = "notitle";
      if (titles++ < most_titles) title = "title " + quoted(line.title);
      if (alone < stretches.size()) {
        plots.push_back(fmt::format(
            "$line{} using 1:2 axes {} with lines linecolor rgb \"{}\" "
            "linewidth {} dashtype {} {}",
            n, axes, color, line.over ? 2.2 : 1.6, line.right_axis ? "(6,3)" : "1", title));
        title = "notitle";
      }
      // A reading between two gaps is a dot, or nobody would see it.
      if (alone > 0) {
        out += fmt::format("$dots{} << END_OF_LINE\n", n);
        std::vector<Point> dots;
        for (const auto& stretch : stretches) {
          if (stretch.size() == 1) dots.push_back(stretch[0]);
        }
        put_points(out, many ? thinned(dots, x_per_pixel) : dots);
        out += "END_OF_LINE\n";
        plots.push_back(
            fmt::format("$dots{} using 1:2 axes {} with points pointtype 7 "
                        "pointsize 0.4 linecolor rgb \"{}\" {}",
                        n, axes, color, title));
      }
    }
    if (plots.empty()) fail_usage("there is nothing to draw: every reading is missing");
    const bool left = std::ranges::any_of(
        plots, [](const std::string& plot) { return plot.find("axes x1y1") != std::string::npos; });
    if (!left) out += "set ytics format \"\"\n";
    out += fmt::format("plot {}\n", fmt::join(plots, ", \\\n  "));
  }

  const Figure& look_;
  std::vector<const Timeline*> all_;
  const Timeline* over_ = nullptr;
  Zone zone_;
  std::vector<Line> lines_;
  Instant first_{}, last_{};
};

/// A name for a file that is gone at the end of the scope.
struct TemporaryFile {
  TemporaryFile() {
    const char* folder = std::getenv("TMPDIR");
    path = std::string(folder != nullptr && *folder != '\0' ? folder : "/tmp") + "/zerobeat.XXXXXX";
    const int descriptor = mkostemp(path.data(), O_CLOEXEC);
    if (descriptor < 0) fail_output("{}: {}", path, std::strerror(errno));
    close(descriptor);
  }
  ~TemporaryFile() { unlink(path.c_str()); }
  TemporaryFile(const TemporaryFile&) = delete;
  TemporaryFile& operator=(const TemporaryFile&) = delete;

  std::string content() const {
    std::ifstream file(path, std::ios::binary);
    std::stringstream bytes;
    bytes << file.rdbuf();
    return std::move(bytes).str();
  }

  std::string path;
};

bool ends_with(std::string_view text, std::string_view ending) {
  return text.size() >= ending.size() && text.substr(text.size() - ending.size()) == ending;
}

/// Runs gnuplot on a script. Its reader may go away early, which is no reason to be killed.
void run_gnuplot(const std::string& script) {
  const TemporaryFile messages;
  struct sigaction ignore {
  }, before{};
  ignore.sa_handler = SIG_IGN;
  sigaction(SIGPIPE, &ignore, &before);
  FILE* pipe = popen(fmt::format("gnuplot 2> {}", messages.path).c_str(), "w");
  int status = -1;
  if (pipe != nullptr) {
    std::fwrite(script.data(), 1, script.size(), pipe);
    status = pclose(pipe);
  }
  sigaction(SIGPIPE, &before, nullptr);
  constexpr int not_found = 127;
  if (pipe == nullptr || (WIFEXITED(status) && WEXITSTATUS(status) == not_found)) {
    fail_output("gnuplot is not there to draw with; install the package gnuplot-nox");
  }
  if (status != 0) fail_output("gnuplot could not draw: {}", messages.content());
}

}  // namespace

void plot(std::span<const Timeline> timelines, const Timeline* over, const Figure& look,
          Output& output, const std::string& path) {
  if (timelines.empty()) fail_usage("there is nothing to draw: name a file");
  const char* terminal = ends_with(path, ".svg")   ? "svg"
                         : ends_with(path, ".png") ? "pngcairo"
                                                   : nullptr;
  if (terminal == nullptr) {
    fail_usage("{}: a figure's file ends in .png or .svg", path);
  }
  const Picture picture(timelines, over, look);
  const TemporaryFile drawing;
  run_gnuplot(picture.script(terminal, drawing.path));
  output.write(drawing.content());
}

}  // namespace zerobeat
