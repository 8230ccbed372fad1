#include "view/picture/tune.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/align/clock/tune.hpp>
#include <zerobeat/base/text.hpp>

#include "time/wide_instant.hpp"
#include "view/gnuplot.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_strands = 8;
constexpr const char* peak_ink = "#f3dfd6";

/// One strand compared, and its line.
struct Compared {
  ClockComparison found{};
  MatchCurve curve{};
  std::string title{};

  bool is_match() const { return found.refused.empty(); }
};

/// A unit of seconds that offsets are told in.
struct OffsetUnit {
  double seconds;
  const char* word;
};

OffsetUnit unit_of(double within_s) {
  if (within_s <= 600) return {1, "s"};
  if (within_s <= 36'000) return {60, "min"};
  return {3600, "h"};
}

struct Reading {
  double at = 0;  ///< seconds from the left edge
  double value = 0;
};

/// The two sides of a comparison.
struct Sides {
  const Timeline* reference;
  const Timeline* other;
  const Strand* reference_strand;
  const Strand* other_strand;
};

const Strand* strand_of(const Timeline& timeline, const std::optional<std::string>& key) {
  for (const Strand& strand : timeline.strands()) {
    if (strand.key == key) return &strand;
  }
  return nullptr;
}

std::vector<Reading> readings_of(const Timeline& timeline, const std::string& column,
                                 const Strand& strand, Instant zero) {
  const Column numbers = timeline.values().column(column).as_numbers();
  std::vector<Reading> out;
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    if (!numbers.valid(row) || !std::isfinite(numbers.numbers()[row])) continue;
    out.push_back({seconds_between(zero, timeline.times()[row]), numbers.numbers()[row]});
  }
  return out;
}

struct Spread {
  double mean = 0, std = 0;
  std::size_t n = 0;
};

Spread spread_of(const std::vector<Reading>& readings, double from, double to) {
  Spread out;
  double squares = 0;
  auto at = std::ranges::lower_bound(readings, from, {}, &Reading::at);
  for (; at != readings.end() && at->at < to; ++at) {
    ++out.n;
    const double off = at->value - out.mean;
    out.mean += off / static_cast<double>(out.n);
    squares += off * (at->value - out.mean);
  }
  if (out.n > 1) out.std = std::sqrt(squares / static_cast<double>(out.n - 1));
  return out;
}

/// The stretch of that length, within both, in which the reference moves most.
double lively_start(const std::vector<Reading>& reference, const std::vector<Reading>& other,
                    double length) {
  const double from = std::max(reference.front().at, other.front().at);
  const double to = std::min(reference.back().at, other.back().at) - length;
  double best = from, most = -1;
  for (double start = from; start <= to; start += length / 4) {
    const Spread spread = spread_of(reference, start, start + length);
    if (spread.n >= 10 && spread_of(other, start, start + length).n >= 10 && spread.std > most) {
      most = spread.std;
      best = start;
    }
  }
  return best;
}

std::string data_of(const char* name, const std::vector<Reading>& readings, double from,
                    double to) {
  std::string out = fmt::format("${} << END_OF_DATA\n", name);
  for (const Reading& reading : readings) {
    if (reading.at >= from && reading.at <= to)
      out += fmt::format("{:.6f} {}\n", reading.at - from, reading.value);
  }
  return out + "END_OF_DATA\n";
}

/// How far from the peak the match has fallen half-way to the lowest, on both sides.
std::pair<double, double> width_of(const MatchCurve& curve) {
  std::size_t peak = 0;
  double lowest = 1, highest = -1;
  for (std::size_t i = 0; i < curve.matches.size(); ++i) {
    if (!curve.matches[i]) continue;
    lowest = std::min(lowest, *curve.matches[i]);
    if (*curve.matches[i] > highest) {
      highest = *curve.matches[i];
      peak = i;
    }
  }
  const double half = (lowest + highest) / 2;
  const auto above = [&](std::size_t i) { return curve.matches[i].value_or(-1) >= half; };
  std::size_t left = peak, right = peak;
  while (left > 0 && above(left - 1)) --left;
  while (right + 1 < curve.matches.size() && above(right + 1)) ++right;
  return {curve.offsets_s[left], curve.offsets_s[right]};
}

class TunePicture {
 public:
  TunePicture(std::span<const Timeline> timelines, const Figure& look)
      : look_(look), reference_(timelines[0]), other_(timelines.back()) {
    const bool one = timelines.size() == 1;
    const auto found = one ? compare_clocks(timelines[0], look.tune)
                           : compare_clocks(timelines[0], timelines[1], look.tune);
    if (found.empty()) fail_usage("there is nothing to draw: no strand beside the reference");
    if (found.size() > most_strands) {
      fail_usage("‹tune› {}: {} strands are more than fit, which is {}; choose some: ‹keys› A,B",
                 shown(look.tune.on), found.size(), most_strands);
    }
    for (const ClockComparison& comparison : found) {
      Compared compared{comparison, match_curve(reference_, other_, look.tune, comparison.tuning),
                        key_text(comparison.tuning.key.value_or(other_.name()))};
      if (!compared.is_match()) notes_.push_back(compared.title + ": " + comparison.refused);
      if (!compared.curve.offsets_s.empty()) all_.push_back(std::move(compared));
    }
    if (all_.empty()) fail_usage("there is nothing to draw: {}", fmt::join(notes_, "; "));
    unit_ = unit_of(all_[0].curve.offsets_s.back());
    shown_ = static_cast<std::size_t>(
        std::ranges::max_element(all_, {},
                                 [](const Compared& compared) {
                                   return compared.is_match()
                                              ? std::fabs(compared.found.tuning.offset_s)
                                              : -1;
                                 }) -
        all_.begin());
    reference_name_ = look.tune.against.empty() ? reference_.name() : look.tune.against;
  }

  std::string script() {
    std::string out = curve_data();
    const bool both = put_readings(out);
    out += "set multiplot\n";
    put_curves(out, both);
    if (both) {
      put_stretch(out, false);
      put_stretch(out, true);
    }
    return out + "unset multiplot\n";
  }

  Caption caption() const {
    std::vector<std::string> said;
    for (const Compared& compared : all_) said.push_back(compared.title + ": " + told(compared));
    return {fmt::format("The clock of {} beside that of {}", all_[shown_].title, reference_name_),
            fmt::format("{}", fmt::join(said, "; "))};
  }
  std::vector<std::string> notes() const { return notes_; }

 private:
  std::string told(const Compared& compared) const {
    if (!compared.is_match()) return "no match";
    const Tuning& tuning = compared.found.tuning;
    std::string text = fmt::format("{} {} (± {:.2g} s)", length_text(std::fabs(tuning.offset_s)),
                                   tuning.offset_s < 0 ? "behind" : "ahead", tuning.offset_se_s);
    if (look_.tune.drift) {
      text += fmt::format(", {} {:.3g} ppm (± {:.2g})", tuning.drift_ppm < 0 ? "losing" : "gaining",
                          std::fabs(tuning.drift_ppm), tuning.drift_se_ppm);
    }
    return text;
  }

  std::string curve_data() const {
    std::string out;
    for (std::size_t n = 0; n < all_.size(); ++n) {
      const MatchCurve& curve = all_[n].curve;
      out += fmt::format("$curve{} << END_OF_DATA\n", n);
      for (std::size_t i = 0; i < curve.matches.size(); ++i) {
        if (curve.matches[i]) {
          out +=
              fmt::format("{:.9g} {:.6f}\n", curve.offsets_s[i] / unit_.seconds, *curve.matches[i]);
        }
      }
      out += "END_OF_DATA\n";
    }
    return out;
  }

  /// Both sources in a stretch, as they were and set right; false when there is nothing to show.
  bool put_readings(std::string& out) {
    const Compared& compared = all_[shown_];
    const Tune& tune = look_.tune;
    const Strand* theirs = strand_of(other_, compared.found.tuning.key);
    const Strand* right = !tune.against.empty()  ? strand_of(reference_, tune.against)
                          : reference_.has_key() ? strand_of(reference_, compared.found.tuning.key)
                                                 : &reference_.strands()[0];
    if (!compared.is_match() || theirs == nullptr || right == nullptr) return false;
    const Tuning& tuning = compared.found.tuning;
    auto reference = readings_of(reference_, tune.on, *right, tuning.at);
    auto before = readings_of(other_, tune.with.empty() ? tune.on : tune.with, *theirs, tuning.at);
    auto after = before;
    for (Reading& reading : after) {
      reading.at -= tuning.offset_s + tuning.drift_ppm * 1e-6 * reading.at;
    }
    const auto step_of = [](const std::vector<Reading>& readings) {
      return (readings.back().at - readings.front().at) / static_cast<double>(readings.size());
    };
    length_ = std::max(45 * std::max(step_of(reference), step_of(before)),
                       12 * std::fabs(tuning.offset_s));
    length_ = std::min(
        {length_, reference.back().at - reference.front().at, after.back().at - after.front().at});
    const double from = lively_start(reference, after, length_);
    // In the reference's units: what tells is when, not how much.
    const Spread theirs_spread = spread_of(after, from, from + length_),
                 right_spread = spread_of(reference, from, from + length_);
    const double scale = theirs_spread.std > 0 ? right_spread.std / theirs_spread.std : 1;
    for (auto* readings : {&before, &after}) {
      for (Reading& reading : *readings) {
        reading.value = right_spread.mean + scale * (reading.value - theirs_spread.mean);
      }
    }
    left_ = bounded_instant(Wide(nanoseconds_of(tuning.at)) + static_cast<Wide>(from * 1e9));
    out += data_of("reference", reference, from, from + length_);
    out += data_of("before", before, from, from + length_);
    out += data_of("after", after, from, from + length_);
    return true;
  }

  void put_curves(std::string& out, bool both) const {
    const Compared& compared = all_[shown_];
    out += plain_frame();
    out += fmt::format("set origin 0,{}\nset size 1,{}\n", both ? 0.44 : 0.0, both ? 0.56 : 1.0);
    out += fmt::format("set title {} textcolor rgb \"{}\"\n",
                       in_quotes(fmt::format("{}: {}", compared.title, told(compared))), text_ink);
    out += fmt::format("set xlabel {} textcolor rgb \"{}\"\n",
                       in_quotes(fmt::format("how far the clock is taken to be ahead of {}'s ({})",
                                             reference_name_, unit_.word)),
                       text_ink);
    out += fmt::format("set ylabel \"match\" textcolor rgb \"{}\"\n", text_ink);
    out += fmt::format("set key top right Left reverse samplen 2 textcolor rgb \"{}\"\n", text_ink);
    double lowest = 0;
    for (const Compared& each : all_) {
      for (const auto& match : each.curve.matches) lowest = std::min(lowest, match.value_or(0));
    }
    // A match ends at 1; above it is room for the titles.
    out += fmt::format("set yrange [{:.1f}:1.25]\nset ytics ({})\nset xrange [*:*] noextend\n",
                       std::floor(lowest * 5) / 5,
                       "-1, -0.8, -0.6, -0.4, -0.2, 0, 0.2, 0.4, 0.6, 0.8, 1");
    if (compared.is_match()) {
      const auto [from, to] = width_of(compared.curve);
      out += fmt::format(
          "set object 1 rectangle from {:.9g},graph 0 to {:.9g},graph 1 behind fillcolor rgb "
          "\"{}\" fillstyle solid 1 noborder\n",
          from / unit_.seconds, to / unit_.seconds, peak_ink);
      const double at = compared.found.tuning.offset_s / unit_.seconds;
      out += fmt::format(
          "set arrow 1 from {0:.9g},graph 0 to {0:.9g},graph 1 nohead front linecolor rgb \"{1}\" "
          "linewidth 1.4 dashtype (4,3)\n",
          at, text_ink);
    }
    std::vector<std::string> plots;
    for (std::size_t n = 0; n < all_.size(); ++n) {
      plots.push_back(fmt::format("$curve{} with lines linewidth 2 linecolor rgb \"{}\" title {}",
                                  n, ink(n), in_quotes(all_[n].title)));
    }
    for (std::size_t n = 0; n < all_.size(); ++n) {
      const Tuning& tuning = all_[n].found.tuning;
      if (!all_[n].is_match() || !tuning.match_after) continue;
      plots.push_back(fmt::format(
          "'-' using 1:2 with points pointtype 7 pointsize 1.1 linecolor rgb \"{}\" notitle",
          ink(n)));
    }
    if (compared.is_match()) {
      plots.push_back(fmt::format(
          "keyentry with boxes fillstyle solid 1 noborder linecolor rgb \"{}\" title \"half-way "
          "down from the peak\"",
          peak_ink));
    }
    out += fmt::format("plot {}\n", fmt::join(plots, ", \\\n  "));
    for (const Compared& each : all_) {
      const Tuning& tuning = each.found.tuning;
      if (!each.is_match() || !tuning.match_after) continue;
      out +=
          fmt::format("{:.9g} {:.6f}\ne\n", tuning.offset_s / unit_.seconds, *tuning.match_after);
    }
    out += "unset object 1\nunset arrow 1\nunset key\nset yrange [*:*]\nset ytics autofreq\n";
  }

  void put_stretch(std::string& out, bool after) const {
    const Tuning& tuning = all_[shown_].found.tuning;
    out += fmt::format("set origin {},0\nset size 0.5,0.44\n", after ? 0.5 : 0.0);
    const auto& match = after ? tuning.match_after : tuning.match_before;
    out += fmt::format("set title {} textcolor rgb \"{}\"\n",
                       in_quotes(fmt::format("{}: a match of {:.3f}",
                                             after ? "set right" : "as it was", match.value_or(0))),
                       text_ink);
    out += fmt::format(
        "set xlabel {} textcolor rgb \"{}\"\n",
        in_quotes(other_.axis().is_instants() ? fmt::format("time, {}", other_.zone().name())
                                              : other_.time_name()),
        text_ink);
    out += fmt::format("set ylabel {} textcolor rgb \"{}\"\n", in_quotes(look_.tune.on), text_ink);
    out += fmt::format("set key top left Left reverse samplen 2 textcolor rgb \"{}\"\n", text_ink);
    out +=
        fmt::format("set xrange [0:{:.6f}]\nset offsets 0, 0, graph 0.22, graph 0.05\n", length_);
    const Instant right = left_ + Nanoseconds(static_cast<std::int64_t>(length_ * 1e9));
    std::string ticks;
    const int most = look_.size.width / 2 / 115;
    for (const auto& tick : other_.axis().is_instants()
                                ? time_ticks(left_, right, other_.zone(), most)
                                : elapsed_ticks(left_, right, *other_.axis().elapsed, most)) {
      ticks += fmt::format("{}\"{}\" {:.6f}", ticks.empty() ? "" : ", ", tick.label,
                           seconds_between(left_, tick.at));
    }
    out += fmt::format("set xtics ({})\nset bmargin 4.5\nset xlabel offset 0,-0.6\n", ticks);
    const char* line = "with linespoints pointtype 7 pointsize 0.45 linewidth 1.6";
    out += fmt::format(
        "plot $reference {0} linecolor rgb \"{1}\" title {2}, ${3} {0} linecolor rgb "
        "\"{4}\" title {5}\n",
        line, pale_ink, in_quotes(reference_name_), after ? "after" : "before", ink(shown_),
        in_quotes(all_[shown_].title));
  }

  const Figure& look_;
  const Timeline& reference_;
  const Timeline& other_;
  std::vector<Compared> all_;
  std::vector<std::string> notes_;
  std::size_t shown_ = 0;  // the one that is furthest off
  std::string reference_name_;
  OffsetUnit unit_{1, "s"};
  double length_ = 0;  // of the stretch
  Instant left_{};
};

void check_tuning(std::span<const Timeline> timelines, const Figure& look) {
  const bool others = !look.y.empty() || !look.y2.empty() || !look.over.empty() || look.bars ||
                      look.panels || look.log || look.gaps || look.mean;
  if (others) {
    fail_usage(
        "‹tune› {} draws how two clocks compare, not lines over time; ‹with›, ‹against›, ‹within›, "
        "‹drift›, ‹between›, ‹last›, ‹keys› and ‹size› go with it",
        shown(look.tune.on));
  }
  if (timelines.size() > 2) {
    fail_usage("‹tune› {}: two sources are compared, or the strands of one, not {} sources",
               shown(look.tune.on), timelines.size());
  }
}

}  // namespace

std::vector<std::string> draw_tuning(std::span<const Timeline> timelines, const Figure& look,
                                     Output& output, const std::string& path) {
  check_tuning(timelines, look);
  TunePicture picture(timelines, look);
  const std::string script = picture.script();
  draw(script, picture.caption(), look.size, output, path);
  return picture.notes();
}

}  // namespace zerobeat::detail
