#include "view/picture/trial.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>
#include <zerobeat/clean/fill.hpp>

#include "time/wide_instant.hpp"
#include "view/gnuplot.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_trial_panels = 6, most_ways = 8;
constexpr const char* hidden_ink = "#fbeee6";
constexpr std::size_t least_beside = 6;  // rows that are shown on either side of a block

/// Hidden readings on end: of FillTrial::Tried::hidden, from `from` to before `until`.
struct Block {
  std::size_t from = 0, until = 0;
};

/// The block in which a way is furthest off: by the root of the mean square.
Block worst_block(const FillTrial::Tried& tried, const Column& truth, std::size_t way) {
  Block worst{0, tried.hidden.empty() ? 0 : std::size_t{1}};
  double most = -1;
  for (std::size_t i = 0; i < tried.hidden.size();) {
    const std::size_t from = i;
    double squares = 0;
    std::size_t filled = 0;
    do {
      const double put = tried.fillings[way][i];
      if (!std::isnan(put)) {
        const double off = put - truth.numbers()[tried.hidden[i]];
        squares += off * off;
        ++filled;
      }
      ++i;
    } while (i < tried.hidden.size() && tried.hidden[i] == tried.hidden[i - 1] + 1);
    const double off = filled == 0 ? 0 : std::sqrt(squares / static_cast<double>(filled));
    if (off > most) {
      most = off;
      worst = {from, i};
    }
  }
  return worst;
}

/// A panel: one column, from one row to another.
class TrialPanel {
 public:
  TrialPanel(const Timeline& timeline, const Figure& look, const FillTrial::Tried& tried)
      : timeline_(timeline),
        look_(look),
        tried_(tried),
        truth_(timeline.values().column(tried.column).as_numbers()),
        block_(worst_block(tried, truth_, tried.best.value_or(0))) {
    const std::size_t first = tried.hidden[block_.from], last = tried.hidden[block_.until - 1];
    const auto strand = std::ranges::find_if(timeline.strands(), [&](const Strand& its_strand) {
      return its_strand.begin <= first && first < its_strand.end;
    });
    const std::size_t beside = std::max(least_beside, block_.until - block_.from);
    from_ = std::max(strand->begin + beside, first) - beside;
    until_ = std::min(strand->end, last + 1 + beside);
    title_ = (strand->key ? *strand->key + ", " : "") + tried.column;
  }

  std::string script(std::size_t n, std::size_t panels) const {
    std::string out = data(n);
    const Instant left = timeline_.times()[from_], right = timeline_.times()[until_ - 1];
    const double length = seconds_between(left, right);
    out += fmt::format("set title {} textcolor rgb \"{}\"\n", in_quotes(told()), text_ink);
    out += fmt::format("set ylabel {} textcolor rgb \"{}\"\n", in_quotes(tried_.column), text_ink);
    out += fmt::format("set key top left Left reverse samplen 2 textcolor rgb \"{}\"\n", text_ink);
    // Room for the titles above what is drawn.
    out += fmt::format("set offsets 0, 0, graph {:.2f}, graph 0.05\nset xrange [0:{:.9g}]\n",
                       std::min(0.6, 0.06 * static_cast<double>(panels > 1 ? panels : 1) *
                                         static_cast<double>(look_.trial.trial.size() + 1)),
                       std::max(length, 1e-9));
    const std::size_t first = tried_.hidden[block_.from], last = tried_.hidden[block_.until - 1];
    const auto edge = [&](std::size_t a, std::size_t b) { return (x(a, left) + x(b, left)) / 2; };
    out += fmt::format(
        "set object 1 rectangle from {:.9g},graph 0 to {:.9g},graph 1 behind fillcolor rgb \"{}\" "
        "fillstyle solid 1 noborder\n",
        edge(first - 1, first), edge(last, last + 1), hidden_ink);
    std::string ticks;
    const int most = look_.size.width / (panels > 2 ? 2 : 1) / 115;
    const Axis& axis = timeline_.axis();
    for (const auto& tick : axis.is_instants() ? time_ticks(left, right, timeline_.zone(), most)
                                               : elapsed_ticks(left, right, *axis.elapsed, most)) {
      ticks += fmt::format("{}\"{}\" {:.9g}", ticks.empty() ? "" : ", ", tick.label,
                           seconds_between(left, tick.at));
    }
    const std::string label =
        axis.is_instants()
            ? (timeline_.zone().is_utc() ? "UTC" : "local time, " + timeline_.zone().name())
            : timeline_.time_name();
    out += fmt::format(
        "set xtics ({})\nset lmargin 10\nset bmargin 5\nset xlabel {} offset 0,-0.9 textcolor rgb "
        "\"{}\"\n",
        ticks, in_quotes(label), text_ink);
    std::vector<std::string> plots{
        fmt::format("$known{} with linespoints pointtype 7 pointsize 0.6 linewidth 1.6 linecolor "
                    "rgb \"{}\" title \"readings\"",
                    n, pale_ink)};
    for (std::size_t way = 0; way < look_.trial.trial.size(); ++way) {
      plots.push_back(fmt::format(
          "$put{}_{} with linespoints pointtype 2 pointsize 0.7 linewidth {} linecolor rgb \"{}\" "
          "title {}",
          n, way, way == tried_.best ? 2.6 : 1.4, ink(way), in_quotes(title_of(way))));
    }
    plots.push_back(
        fmt::format("$hidden{} with points pointtype 6 pointsize 1.1 linewidth 1.6 linecolor rgb "
                    "\"{}\" title \"hidden\"",
                    n, text_ink));
    out += fmt::format("plot {}\nunset object 1\n", fmt::join(plots, ", \\\n  "));
    return out;
  }

  /// "level: spline, 0.0878 off in all, 0.21 here".
  std::string told() const {
    if (!tried_.best) return title_ + ": no way fills what was hidden";
    return fmt::format("{}: {} comes nearest; here it is furthest off", title_,
                       to_text(look_.trial.trial[*tried_.best]));
  }

 private:
  double x(std::size_t row, Instant left) const {
    return seconds_between(left, timeline_.times()[row]);
  }

  /// A way and how far it is off in this block.
  std::string title_of(std::size_t way) const {
    double squares = 0;
    std::size_t filled = 0;
    for (std::size_t i = block_.from; i < block_.until; ++i) {
      const double off = tried_.fillings[way][i] - truth_.numbers()[tried_.hidden[i]];
      if (std::isnan(off)) continue;
      squares += off * off;
      ++filled;
    }
    const std::string word = to_text(look_.trial.trial[way]);
    if (filled == 0) return word + ", stays open";
    return fmt::format("{}, {:.3g} off", word, std::sqrt(squares / static_cast<double>(filled)));
  }

  std::string data(std::size_t n) const {
    const Instant left = timeline_.times()[from_];
    std::string out = fmt::format("$known{} << END_OF_DATA\n", n);
    const auto is_hidden = [&](std::size_t row) {
      return std::ranges::binary_search(tried_.hidden, row);
    };
    for (std::size_t row = from_; row < until_; ++row) {
      if (!truth_.valid(row) || is_hidden(row)) {
        out += "\n";
      } else {
        out += fmt::format("{:.9g} {:.17g}\n", x(row, left), truth_.numbers()[row]);
      }
    }
    out += fmt::format("END_OF_DATA\n$hidden{} << END_OF_DATA\n", n);
    for (std::size_t row = from_; row < until_; ++row) {
      if (!is_hidden(row)) continue;
      out += fmt::format("{:.9g} {:.17g}\n", x(row, left), truth_.numbers()[row]);
    }
    out += "END_OF_DATA\n";
    for (std::size_t way = 0; way < look_.trial.trial.size(); ++way) {
      out += fmt::format("$put{}_{} << END_OF_DATA\n", n, way);
      out += filling(way, left);
      out += "END_OF_DATA\n";
    }
    return out;
  }

  /// From the reading before the block to the one after it.
  std::string filling(std::size_t way, Instant left) const {
    std::string out;
    bool any = false;
    const auto put = [&](std::size_t row, double value) {
      out += std::isnan(value) ? "\n" : fmt::format("{:.9g} {:.17g}\n", x(row, left), value);
      any |= !std::isnan(value);
    };
    const std::size_t before = tried_.hidden[block_.from] - 1;
    const std::size_t after = tried_.hidden[block_.until - 1] + 1;
    put(before, truth_.numbers()[before]);
    any = false;
    for (std::size_t i = block_.from; i < block_.until; ++i) {
      put(tried_.hidden[i], tried_.fillings[way][i]);
    }
    if (!any) return "NaN NaN\n";
    put(after, truth_.numbers()[after]);
    return out;
  }

  const Timeline& timeline_;
  const Figure& look_;
  const FillTrial::Tried& tried_;
  Column truth_;
  Block block_;
  std::size_t from_ = 0, until_ = 0;
  std::string title_;
};

void check_trial(std::span<const Timeline> timelines, const Figure& look) {
  const std::string ways = to_text(look.trial.trial);
  const bool others = !look.y2.empty() || !look.over.empty() || look.bars || look.panels ||
                      look.log || look.gaps || look.mean;
  if (others) {
    fail_usage(
        "‹try› {} draws what ways to fill put where readings were hidden; ‹y›, ‹hide›, ‹seed›, "
        "‹between›, ‹last›, ‹keys› and ‹size› go with it",
        ways);
  }
  if (timelines.size() > 1) {
    fail_usage("‹try› {}: of one source, not of {}", ways, timelines.size());
  }
  if (look.trial.trial.size() > most_ways) {
    fail_usage("‹try› {}: more than {} ways can't be told apart in a picture", ways, most_ways);
  }
}

}  // namespace

std::vector<std::string> draw_trial(std::span<const Timeline> timelines, const Figure& look,
                                    Output& output, const std::string& path) {
  check_trial(timelines, look);
  const Timeline& timeline = timelines[0];
  Fill options = look.trial;
  options.on = look.y;
  const FillTrial trial = try_fill(timeline, options);
  std::vector<TrialPanel> panels;
  std::vector<std::string> said;
  for (const auto& tried : trial.tried) {
    if (tried.hidden.empty()) continue;
    if (panels.size() == most_trial_panels) {
      fail_usage("‹try› {}: {} columns are more than fit, which is {}; choose some: ‹y› COLUMNS",
                 to_text(look.trial.trial), trial.tried.size(), most_trial_panels);
    }
    panels.emplace_back(timeline, look, tried);
    said.push_back(panels.back().told());
  }
  if (panels.empty()) fail_usage("there is nothing to draw: too few readings to hide any");
  std::string script = plain_frame() + layout_of(panels.size());
  for (std::size_t n = 0; n < panels.size(); ++n) script += panels[n].script(n, panels.size());
  script += "unset multiplot\n";
  draw(script, {"Ways to fill, tried on hidden readings", fmt::format("{}", fmt::join(said, "; "))},
       look.size, output, path);
  return trial.did.notes;
}

}  // namespace zerobeat::detail
