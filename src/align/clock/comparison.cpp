#include "align/clock/comparison.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <unordered_map>
#include <zerobeat/base/text.hpp>

#include "align/clock/match.hpp"
#include "align/clock/verdict.hpp"
#include "align/sides.hpp"
#include "base/parallel.hpp"
#include "time/forward_shift.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace detail {

std::string called(const Timeline& timeline, const Strand& strand) {
  return shown(strand.key.value_or(timeline.name()));
}

std::string off_text(double offset_s) {
  return fmt::format("{} {}", length_text(std::fabs(offset_s)), offset_s < 0 ? "behind" : "ahead");
}

std::string match_text(const std::optional<double>& match) {
  return match ? fmt::format("{:.3f}", *match) : "none";
}

std::vector<StrandPair> pairs_of(const Timeline& reference, const Timeline& other) {
  std::unordered_map<std::string_view, const Strand*> by_key;
  if (reference.has_key()) {
    for (const Strand& strand : reference.strands()) by_key.emplace(*strand.key, &strand);
  }
  const Strand* only = reference.strands().empty() ? nullptr : &reference.strands()[0];
  std::vector<StrandPair> pairs;
  for (const Strand& strand : other.strands()) {
    if (!reference.has_key()) {
      pairs.push_back({only, &strand});
      continue;
    }
    const auto at = strand.key ? by_key.find(*strand.key) : by_key.end();
    pairs.push_back({at == by_key.end() ? nullptr : at->second, &strand});
  }
  return pairs;
}

std::vector<StrandPair> pairs_of(const Timeline& timeline, const Strand& right) {
  std::vector<StrandPair> pairs;
  for (const Strand& strand : timeline.strands()) {
    if (&strand != &right) pairs.push_back({&right, &strand});
  }
  return pairs;
}

const Strand& right_strand(const Timeline& timeline, const Tune& options) {
  if (options.against.empty()) {
    fail_usage("name two sources, the right one first, or the strand that is right: ‹against› KEY");
  }
  if (!timeline.has_key()) {
    fail_usage("‹against› {}: {} has no key; see ‹key›", shown(options.against), timeline.name());
  }
  std::vector<std::string> keys;
  for (const Strand& strand : timeline.strands()) {
    if (*strand.key == options.against) return strand;
    keys.push_back(*strand.key);
  }
  fail_usage("‹against› {}: there is no such strand{}", shown(options.against),
             did_you_mean(options.against, keys));
}

void check_two_sources(const Tune& options) {
  if (options.against.empty()) return;
  fail_usage("‹against› {}: it is for the strands of one source, and there are two",
             shown(options.against));
}

}  // namespace detail

namespace {

using detail::ClockReadings;
using detail::ClockVerdict;
using detail::match_text;
using detail::off_text;
using detail::StrandPair;

/// The two columns that see the same thing, as numbers.
struct Seen {
  Column reference, other;
};

Column numbers_of(const Timeline& timeline, const std::string& name, std::string_view option) {
  if (!timeline.values().find(name)) {
    fail_usage("‹{}› {}: {} has no such column{}", option, shown(name), shown(timeline.name()),
               did_you_mean(name, timeline.values().names()));
  }
  const Column& column = timeline.values().column(name);
  if (!column.is_numeric()) {
    fail_usage("‹{}› {}: in {} it holds {}; two clocks are compared by numbers", option,
               shown(name), shown(timeline.name()), to_text(column.type()));
  }
  return column.as_numbers();
}

Seen check(const Timeline& reference, const Timeline& other, const Tune& options) {
  if (options.on.empty()) {
    fail_usage("say what both see: ‹on› COLUMN of {}", shown(reference.name()));
  }
  detail::check_axes(reference, other);
  if (other.axis().is_count()) {
    fail_usage("the times of {} count steps; a clock that is off needs times", other.name());
  }
  check_on_axis(other.axis(), options.within, "‹within›");
  if (options.within.is_zero()) fail_usage("‹within›: more than nothing, like 1h");
  if (!(options.least >= 0 && options.least <= 1)) {
    fail_usage("‹least› {}: a match goes from 0 to 1", options.least);
  }
  if (reference.has_key() && !other.has_key()) {
    fail_usage("{} has the key \"{}\" and {} has none; give {} a key too, or read {} without",
               reference.name(), reference.key_name(), other.name(), other.name(),
               reference.name());
  }
  return {numbers_of(reference, options.on, "on"),
          numbers_of(other, options.with.empty() ? options.on : options.with,
                     options.with.empty() ? "on" : "with")};
}

/// To three digits: an error that is known no better is told no better.
double three_digits(double value) {
  return std::isfinite(value) ? std::stod(fmt::format("{:.2e}", value)) : value;
}

double to_millionths(double value) { return std::round(value * 1e6) / 1e6; }

/// Why there is no tuning, in words.
std::string refusal(const ClockVerdict& verdict, const Tune& options,
                    const ClockReadings& reference, const ClockReadings& other) {
  using Kind = ClockVerdict::Kind;
  const auto match_of = [&](const detail::ClockFit& fit) {
    return match_text(detail::clock_match(reference, other, fit.offset_s, fit.drift).match);
  };
  switch (verdict.kind) {
    case Kind::too_few:
      return fmt::format(
          "no match: of {} readings and the reference's {}, ten must lie in the time that both "
          "share, and not all at one instant",
          grouped(static_cast<std::int64_t>(other.size())),
          grouped(static_cast<std::int64_t>(reference.size())));
    case Kind::no_peak:
      return fmt::format(
          "no match: within {} nothing that is quicker than its slow parts is alike "
          "({} as they stand)",
          to_text(options.within), match_text(detail::clock_match(reference, other, 0, 0).match));
    case Kind::beyond:
      return fmt::format(
          "no match within {}: the two are most alike at the end of that range or past it{}; see "
          "‹within›",
          to_text(options.within),
          verdict.fit.done ? fmt::format(" (a match of {} at {})", match_of(verdict.fit),
                                         off_text(verdict.fit.offset_s))
                           : "");
    case Kind::ambiguous: {
      std::vector<std::string> all;
      const auto add = [&](const detail::ClockFit& fit) {
        all.push_back(fmt::format("{:.1f} s {} (a match of {})", std::fabs(fit.offset_s),
                                  fit.offset_s < 0 ? "behind" : "ahead", match_of(fit)));
      };
      add(verdict.fit);
      for (const auto& fit : verdict.rivals) add(fit);
      return fmt::format(
          "ambiguous: within {} these fit about as well: {}; a shorter ‹within› takes its choice",
          to_text(options.within), fmt::join(all, ", "));
    }
    default:
      return fmt::format(
          "no match: at best its clock is {} with a match of {}, which may be chance (the scale "
          "between the two is {:.1f} standard errors from nothing, and {} are asked)",
          off_text(verdict.fit.offset_s), match_of(verdict.fit), verdict.fit.clearness,
          detail::least_clearness);
  }
}

class ClockComparer {
 public:
  ClockComparer(const Timeline& reference, const Timeline& other, const Tune& options)
      : reference_(reference),
        other_(other),
        options_(options),
        seen_(check(reference, other, options)) {}

  ClockComparison operator()(const StrandPair& pair) const {
    ClockComparison out;
    out.tuning.key = pair.other->key;
    out.refused = why_not_compared(pair, out.tuning);
    if (!out.refused.empty()) return out;
    const Instant at = out.tuning.at;
    const auto [reference, other] = readings_of(pair, at);
    const ClockVerdict verdict =
        detail::judge_clocks(reference, other, {within_s(at), options_.drift});
    out.spikes = reference.spikes + other.spikes;
    if (verdict.fit.done) take(verdict.fit, reference, other, out.tuning);
    const bool told =
        verdict.kind == ClockVerdict::Kind::found || verdict.kind == ClockVerdict::Kind::ambiguous;
    if (told && (!out.tuning.match_after || *out.tuning.match_after < options_.least)) {
      out.refused = fmt::format(
          "no match: at best its clock is {}{}, and the match then {}, while ‹least› asks for {}",
          off_text(out.tuning.offset_s),
          options_.drift ? fmt::format(", gaining {:.4g} ppm", out.tuning.drift_ppm) : "",
          match_text(out.tuning.match_after), options_.least);
    } else if (verdict.kind != ClockVerdict::Kind::found) {
      out.refused = refusal(verdict, options_, reference, other);
    }
    return out;
  }

  MatchCurve curve(const StrandPair& pair, const Tuning& found, std::size_t points) const {
    constexpr std::size_t most_readings = 20'000;
    const auto readings = readings_of(pair, found.at);
    const double within = within_s(found.at);
    MatchCurve curve;
    curve.matches.resize(points);
    for (std::size_t i = 0; i < points; ++i) {
      const double share =
          points == 1 ? 0.5 : static_cast<double>(i) / static_cast<double>(points - 1);
      curve.offsets_s.push_back(within * (2 * share - 1));
    }
    detail::parallel_for(std::size_t{0}, points, [&](std::size_t i) {
      curve.matches[i] = detail::clock_match(readings.reference, readings.other, curve.offsets_s[i],
                                             found.drift_ppm / 1e6, most_readings)
                             .match;
    });
    return curve;
  }

 private:
  struct Both {
    ClockReadings reference, other;
  };

  /// In seconds from `at`.
  Both readings_of(const StrandPair& pair, Instant at) const {
    Both both;
    detail::parallel_for(0, 2, [&](int side) {
      (side == 0 ? both.reference : both.other) =
          side == 0 ? detail::clock_readings(reference_.times(), seen_.reference,
                                             pair.reference->begin, pair.reference->end, at, true)
                    : detail::clock_readings(other_.times(), seen_.other, pair.other->begin,
                                             pair.other->end, at, false);
    });
    return both;
  }

  double within_s(Instant at) const {
    const Period& within = options_.within;
    if (within.is_fixed()) return static_cast<double>(within.nanoseconds.count()) / 1e9;
    return detail::seconds_between(at, detail::shift_forward(at, within, 1, other_.zone()));
  }

  std::string span_text(std::span<const Instant> times) const {
    return fmt::format("{} to {}", detail::time_text(times.front(), other_.axis()),
                       detail::time_text(times.back(), other_.axis()));
  }

  /// Empty when the two can be compared; sets the middle of what they share.
  std::string why_not_compared(const StrandPair& pair, Tuning& tuning) const {
    if (pair.reference == nullptr) {
      return fmt::format("{} has no such strand", shown(reference_.name()));
    }
    const auto own = other_.times().subspan(pair.other->begin, pair.other->size());
    const auto times = reference_.times().subspan(pair.reference->begin, pair.reference->size());
    if (own.empty() || times.empty()) {
      return fmt::format("no match: {} has no records",
                         own.empty() ? "it" : shown(reference_.name()));
    }
    const Instant from = std::max(times.front(), own.front());
    const Instant to = std::min(times.back(), own.back());
    tuning.at = instant_of(
        static_cast<std::int64_t>((Wide(nanoseconds_of(from)) + nanoseconds_of(to)) / 2));
    if (detail::seconds_between(to, from) <= within_s(tuning.at)) return {};
    return fmt::format("they do not overlap in time: it runs from {}, the reference from {}",
                       span_text(own), span_text(times));
  }

  static void take(const detail::ClockFit& fit, const ClockReadings& reference,
                   const ClockReadings& other, Tuning& tuning) {
    tuning.offset_s = to_millionths(fit.offset_s);
    tuning.offset_se_s = three_digits(fit.offset_se_s);
    tuning.drift_ppm = to_millionths(fit.drift * 1e6);
    tuning.drift_se_ppm = three_digits(fit.drift_se * 1e6);
    tuning.match_before = detail::clock_match(reference, other, 0, 0).match;
    const auto after =
        detail::clock_match(reference, other, tuning.offset_s, tuning.drift_ppm / 1e6);
    tuning.match_after = after.match;
    tuning.readings = after.readings;
  }

  const Timeline& reference_;
  const Timeline& other_;
  const Tune& options_;
  Seen seen_;
};

}  // namespace

std::vector<ClockComparison> detail::compared(const Timeline& reference, const Timeline& other,
                                              const std::vector<StrandPair>& pairs,
                                              const Tune& options) {
  const ClockComparer compare(reference, other, options);
  std::vector<ClockComparison> found(pairs.size());
  detail::parallel_for(std::size_t{0}, pairs.size(),
                       [&](std::size_t i) { found[i] = compare(pairs[i]); });
  return found;
}

std::vector<ClockComparison> compare_clocks(const Timeline& reference, const Timeline& other,
                                            const Tune& options) {
  detail::check_two_sources(options);
  return detail::compared(reference, other, detail::pairs_of(reference, other), options);
}

std::vector<ClockComparison> compare_clocks(const Timeline& timeline, const Tune& options) {
  const Strand& right = detail::right_strand(timeline, options);
  return detail::compared(timeline, timeline, detail::pairs_of(timeline, right), options);
}

MatchCurve match_curve(const Timeline& reference, const Timeline& other, const Tune& options,
                       const Tuning& found, std::size_t points) {
  const auto pairs = options.against.empty()
                         ? detail::pairs_of(reference, other)
                         : detail::pairs_of(other, detail::right_strand(other, options));
  const auto pair = std::ranges::find_if(
      pairs, [&](const StrandPair& strand_pair) { return strand_pair.other->key == found.key; });
  if (pair == pairs.end() || pair->reference == nullptr) return {};
  return ClockComparer(reference, other, options).curve(*pair, found, points);
}

}  // namespace zerobeat
