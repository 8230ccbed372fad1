#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <zerobeat/base/text.hpp>

#include "time/wide_instant.hpp"
#include "view/picture/changes.hpp"
#include "view/picture/kinds.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_strands = 8;
constexpr const char* peak_ink = "#f3dfd6";

/// What was found of one strand, and its line.
struct Compared {
  std::optional<std::string> key{};
  std::string title{};
  double offset_s = 0, offset_se_s = 0, drift_ppm = 0, drift_se_ppm = 0;
  Instant at{};
  std::optional<double> before{}, after{};
  bool is_match = true;
  std::vector<double> offsets_s{};
  std::vector<std::optional<double>> matches{};
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

/// How far from the peak the match has fallen half-way to the lowest, on both sides.
std::pair<double, double> width_of(const Compared& curve) {
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

std::vector<Compared> all_compared(const Material& material) {
  const Table &found = material.tables.at("found"), &curves = material.tables.at("curves");
  const auto number = [&](const char* name, std::size_t row) -> std::optional<double> {
    const Column& column = found.column(name);
    if (!column.valid(row)) return std::nullopt;
    return column.numbers()[row];
  };
  std::vector<Compared> all;
  const Column &curve_keys = curves.column("key"), &keys = found.column("key");
  const auto offsets = curves.column("offset_s").numbers(),
             matches = curves.column("match").numbers();
  for (std::size_t row = 0; row < found.rows(); ++row) {
    Compared& compared = all.emplace_back();
    if (keys.valid(row)) compared.key = keys.text(row);
    compared.title = compared.key ? key_text(*compared.key) : material.timelines.back().name();
    compared.offset_s = number("offset_s", row).value_or(0);
    compared.offset_se_s = number("offset_se_s", row).value_or(0);
    compared.drift_ppm = number("drift_ppm", row).value_or(0);
    compared.drift_se_ppm = number("drift_se_ppm", row).value_or(0);
    compared.is_match = material.names.at("refused")[row].empty();
    compared.at = found.column("at").times()[row];
    compared.before = number("match_before", row);
    compared.after = number("match_after", row);
    for (std::size_t i = 0; i < curves.rows(); ++i) {
      if (key_text(curve_keys.text(i)) != key_text(compared.key.value_or(""))) continue;
      compared.offsets_s.push_back(offsets[i]);
      compared.matches.push_back(std::isnan(matches[i]) ? std::nullopt
                                                        : std::optional<double>(matches[i]));
    }
  }
  std::erase_if(all, [](const Compared& compared) { return compared.offsets_s.empty(); });
  return all;
}

/// Both sources in a stretch, in the reference's units: what tells is when, not how much.
struct Stretch {
  std::vector<Reading> reference{}, before{}, after{};
  double from = 0, length = 0;
};

class TunePicture {
 public:
  TunePicture(const Material& material, const Figure& look, std::vector<Compared> all)
      : look_(look),
        reference_(material.timelines[0]),
        other_(material.timelines.back()),
        on_(material.names.at("on")[0]),
        with_(material.names.at("on")[1]),
        against_(material.names.at("against")[0]),
        all_(std::move(all)),
        unit_(unit_of(all_[0].offsets_s.back())) {
    const auto off = [](const Compared& compared) {
      return compared.is_match ? std::fabs(compared.offset_s) : -1;
    };
    shown_ = static_cast<std::size_t>(std::ranges::max_element(all_, {}, off) - all_.begin());
    reference_name_ = against_.empty() ? reference_.name() : against_;
  }

  Drawing drawing() const {
    Drawing out;
    out.rows.push_back({{curves()}, 0.56});
    if (const auto stretch = lively_stretch()) {
      out.rows.push_back({{stretch_panel(*stretch, false), stretch_panel(*stretch, true)}, 0.44});
    }
    std::vector<std::string> said;
    for (const Compared& compared : all_) said.push_back(compared.title + ": " + told(compared));
    out.name =
        fmt::format("The clock of {} beside that of {}", all_[shown_].title, reference_name_);
    out.description = fmt::format("{}", fmt::join(said, "; "));
    return out;
  }

 private:
  static std::string told(const Compared& compared) {
    if (!compared.is_match) return "no match";
    std::string text =
        fmt::format("{} {} (± {:.2g} s)", length_text(std::fabs(compared.offset_s)),
                    compared.offset_s < 0 ? "behind" : "ahead", compared.offset_se_s);
    if (compared.drift_ppm != 0) {
      text +=
          fmt::format(", {} {:.3g} ppm (± {:.2g})", compared.drift_ppm < 0 ? "losing" : "gaining",
                      std::fabs(compared.drift_ppm), compared.drift_se_ppm);
    }
    return text;
  }

  Panel curves() const {
    const Compared& compared = all_[shown_];
    Panel panel;
    panel.title = fmt::format("{}: {}", compared.title, told(compared));
    panel.x.name = fmt::format("how far the clock is taken to be ahead of {}'s ({})",
                               key_text(reference_name_), unit_.word);
    panel.x.low = compared.offsets_s.front() / unit_.seconds;
    panel.x.high = compared.offsets_s.back() / unit_.seconds;
    panel.y.name = "match";
    double lowest = 0;
    for (const Compared& each : all_) {
      for (const auto& match : each.matches) lowest = std::min(lowest, match.value_or(0));
    }
    panel.y.low = std::floor(lowest * 5) / 5;
    panel.y.high = 1.05;
    if (compared.is_match) {
      const auto [from, to] = width_of(compared);
      panel.shapes.push_back(
          {BoxShape{.boxes = {{from / unit_.seconds, to / unit_.seconds}}, .ink = peak_ink},
           "half-way down from the peak"});
      panel.shapes.push_back(
          {RuleShape{.at = compared.offset_s / unit_.seconds, .vertical = true, .ink = text_ink},
           "where it is", false, false});
    }
    for (std::size_t n = 0; n < all_.size(); ++n) {
      LineShape line{.ink = ink(n), .width = 2, .dash = dash(n)};
      auto& points = line.stretches.emplace_back();
      for (std::size_t i = 0; i < all_[n].matches.size(); ++i) {
        if (all_[n].matches[i]) {
          points.push_back({all_[n].offsets_s[i] / unit_.seconds, *all_[n].matches[i]});
        }
      }
      panel.shapes.push_back({std::move(line), all_[n].title});
      if (!all_[n].is_match || !all_[n].after) continue;
      panel.shapes.push_back(
          {PointShape{{{all_[n].offset_s / unit_.seconds, *all_[n].after}}, ink(n), Mark::dot, 8},
           "peak of " + all_[n].title, false, false});
    }
    return panel;
  }

  /// Nothing when there is nothing to show.
  std::optional<Stretch> lively_stretch() const {
    const Compared& compared = all_[shown_];
    if (!compared.is_match) return std::nullopt;
    const Strand* theirs = strand_of(other_, compared.key);
    const Strand* right = !against_.empty()      ? strand_of(reference_, against_)
                          : reference_.has_key() ? strand_of(reference_, compared.key)
                                                 : &reference_.strands()[0];
    if (theirs == nullptr || right == nullptr) return std::nullopt;
    Stretch out;
    out.reference = readings_of(reference_, on_, *right, compared.at);
    out.before = readings_of(other_, with_, *theirs, compared.at);
    if (out.reference.size() < 2 || out.before.size() < 2) return std::nullopt;
    out.after = out.before;
    for (Reading& reading : out.after) {
      reading.at -= compared.offset_s + compared.drift_ppm * 1e-6 * reading.at;
    }
    const auto step_of = [](const std::vector<Reading>& readings) {
      return (readings.back().at - readings.front().at) / static_cast<double>(readings.size());
    };
    const auto span_of = [](const std::vector<Reading>& readings) {
      return readings.back().at - readings.front().at;
    };
    out.length = std::max(45 * std::max(step_of(out.reference), step_of(out.before)),
                          12 * std::fabs(compared.offset_s));
    out.length = std::min({out.length, span_of(out.reference), span_of(out.after)});
    if (!(out.length > 0)) return std::nullopt;
    out.from = lively_start(out.reference, out.after, out.length);
    const Spread theirs_spread = spread_of(out.after, out.from, out.from + out.length),
                 right_spread = spread_of(out.reference, out.from, out.from + out.length);
    const double scale = theirs_spread.std > 0 ? right_spread.std / theirs_spread.std : 1;
    for (auto* readings : {&out.before, &out.after}) {
      for (Reading& reading : *readings) {
        reading.value = right_spread.mean + scale * (reading.value - theirs_spread.mean);
      }
    }
    return out;
  }

  Panel stretch_panel(const Stretch& stretch, bool after) const {
    const Compared& compared = all_[shown_];
    Panel panel;
    const auto& match = after ? compared.after : compared.before;
    panel.title =
        fmt::format("{}: a match of {:.3f}", after ? "set right" : "as it was", match.value_or(0));
    Canvas canvas;
    canvas.width = look_.size.width / 2;
    canvas.unit = other_.axis().elapsed;
    const auto ns = [](double seconds) { return static_cast<Wide>(seconds * 1e9); };
    canvas.first = bounded_instant(Wide(nanoseconds_of(compared.at)) + ns(stretch.from));
    canvas.last = bounded_instant(Wide(nanoseconds_of(canvas.first)) + ns(stretch.length));
    panel.x = time_axis(canvas, other_.zone(), other_.axis(), other_.time_name());
    panel.y.name = axis_name(look_, on_);
    Range range;
    const auto add = [&](const std::vector<Reading>& readings, const std::string& color,
                         const std::string& name) {
      LineShape line{.ink = color, .dots = true};
      auto& points = line.stretches.emplace_back();
      for (const Reading& reading : readings) {
        if (reading.at < stretch.from || reading.at > stretch.from + stretch.length) continue;
        const Instant t = bounded_instant(Wide(nanoseconds_of(compared.at)) + ns(reading.at));
        points.push_back({canvas.x(t), reading.value});
        range.add(reading.value);
      }
      panel.shapes.push_back({std::move(line), name});
    };
    add(stretch.reference, pale_ink, key_text(reference_name_));
    add(after ? stretch.after : stretch.before, ink(shown_), compared.title);
    const double room = range.most > range.least ? 0.06 * (range.most - range.least) : 0.5;
    panel.y.low = range.least - room;
    panel.y.high = range.most + room;
    return panel;
  }

  const Figure& look_;
  const Timeline& reference_;
  const Timeline& other_;
  std::string on_, with_, against_;
  std::vector<Compared> all_;
  std::size_t shown_ = 0;  // the one that is furthest off
  std::string reference_name_;
  OffsetUnit unit_{1, "s"};
};

}  // namespace

DrawnPicture draw_tune(const PictureTask& task) {
  auto all = all_compared(*task.material);
  if (all.empty()) return nothing_to_draw("no strand beside the reference");
  if (all.size() > most_strands) {
    fail_usage("{} strands are more than fit, which is {}; choose some: select ‹keys› A,B before",
               all.size(), most_strands);
  }
  return {TunePicture(*task.material, task.look, std::move(all)).drawing(), {}};
}

}  // namespace zerobeat::detail
