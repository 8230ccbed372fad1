#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <memory>
#include <zerobeat/align/clock/tune.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "align/clock/comparison.hpp"
#include "align/moved_time.hpp"
#include "align/sides.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::StrandPair;

/// Throws Error when any pair is refused.
void check_found(const Timeline& other, const std::vector<StrandPair>& pairs,
                 const std::vector<ClockComparison>& found) {
  std::vector<std::string> refused;
  for (std::size_t i = 0; i < pairs.size(); ++i) {
    if (found[i].refused.empty()) continue;
    refused.push_back(detail::called(other, *pairs[i].other) + ": " + found[i].refused);
  }
  if (refused.empty()) return;
  constexpr std::size_t most = 10;
  const std::size_t number = refused.size();
  if (number > most) {
    refused.resize(most);
    refused.push_back(fmt::format("and {} more", number - most));
  }
  throw Error(Error::Kind::limit, fmt::format("{}", fmt::join(refused, "\n")));
}

std::string note_of(const Timeline& timeline, const Strand& strand,
                    const ClockComparison& comparison, bool with_drift) {
  const Tuning& tuning = comparison.tuning;
  std::string text =
      fmt::format("{}: its clock was {} (± {:.3g} s) at {}", detail::called(timeline, strand),
                  detail::off_text(tuning.offset_s), tuning.offset_se_s,
                  detail::time_text(tuning.at, timeline.axis()));
  if (with_drift) {
    text += fmt::format(", {} {:.4g} ppm (± {:.3g})", tuning.drift_ppm < 0 ? "losing" : "gaining",
                        std::fabs(tuning.drift_ppm), tuning.drift_se_ppm);
  }
  text += fmt::format("; match {} before, {} after, {} readings",
                      detail::match_text(tuning.match_before),
                      detail::match_text(tuning.match_after), grouped(tuning.readings));
  if (comparison.spikes > 0)
    text += fmt::format("; {} spikes passed over", grouped(comparison.spikes));
  return text;
}

/// The times of the pairs' strands set right, and what was done in the account.
Tuned set_right(const Timeline& timeline, const std::vector<StrandPair>& pairs,
                const std::vector<ClockComparison>& found, const Tune& options, Account account,
                StepTimer& timer) {
  check_found(timeline, pairs, found);
  Buffer<Instant> times(timeline.times());
  std::vector<Tuning> tunings;
  for (std::size_t i = 0; i < pairs.size(); ++i) {
    const Tuning& tuning = tunings.emplace_back(found[i].tuning);
    const auto by = -static_cast<Wide>(std::llround(tuning.offset_s * 1e9));
    for (std::size_t row = pairs[i].other->begin; row < pairs[i].other->end; ++row) {
      const auto moved = detail::moved_time(times[row], by, -tuning.drift_ppm, tuning.at);
      if (!moved) fail_usage("{} would leave the years 1678 to 2261", to_text(times[row]));
      times[row] = *moved;
    }
    timer.note(note_of(timeline, *pairs[i].other, found[i], options.drift));
  }
  Timeline::Parts parts = timeline.parts();
  parts.times = Column::times(std::move(times));
  parts.account = std::move(account);
  return {timer.finish(std::move(parts)), std::move(tunings)};
}

}  // namespace

Tuned tune(const Timeline& reference, const Timeline& other, const Tune& options) {
  detail::check_two_sources(options);
  StepTimer timer(options, static_cast<std::int64_t>(reference.rows() + other.rows()));
  const auto pairs = detail::pairs_of(reference, other);
  if (pairs.empty()) {
    throw Error(Error::Kind::limit,
                fmt::format("no match: {} has no records", shown(other.name())));
  }
  Account account = reference.account();
  add_to(account, other.account());
  return set_right(other, pairs, detail::compared(reference, other, pairs, options), options,
                   std::move(account), timer);
}

Tuned tune(const Timeline& timeline, const Tune& options) {
  StepTimer timer(options, timeline);
  const auto pairs = detail::pairs_of(timeline, detail::right_strand(timeline, options));
  if (pairs.empty()) timer.note("there is no other strand to tune");
  return set_right(timeline, pairs, detail::compared(timeline, timeline, pairs, options), options,
                   timeline.account(), timer);
}

Table table_of(std::span<const Tuning> found, const Axis& axis) {
  const std::size_t rows = found.size();
  const auto numbers = [&](auto member) {
    Buffer<double> values(rows);
    ValidityBuilder validity(rows);
    for (std::size_t i = 0; i < rows; ++i) {
      const std::optional<double> own = found[i].*member;
      values[i] = own.value_or(0);
      if (!own) validity.set_missing(i);
    }
    return Column::numbers(std::move(values), validity.take());
  };
  Buffer<Instant> times(rows);
  Buffer<std::int64_t> readings(rows);
  Buffer<std::int32_t> codes(rows);
  auto keys = std::make_shared<Column::Dictionary>();
  ValidityBuilder with_key(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    times[i] = found[i].at;
    readings[i] = found[i].readings;
    codes[i] = static_cast<std::int32_t>(i);
    keys->push_back(key_text(found[i].key.value_or("")));
    if (!found[i].key) with_key.set_missing(i);
  }
  Table table(rows);
  table.add("key", Column::text(std::move(codes), std::move(keys), with_key.take()));
  table.add("offset_s", numbers(&Tuning::offset_s));
  table.add("offset_se_s", numbers(&Tuning::offset_se_s));
  table.add("drift_ppm", numbers(&Tuning::drift_ppm));
  table.add("drift_se_ppm", numbers(&Tuning::drift_se_ppm));
  table.add("at", on_axis(Column::times(std::move(times)), axis));
  table.add("match_before", numbers(&Tuning::match_before));
  table.add("match_after", numbers(&Tuning::match_after));
  table.add("readings", Column::integers(std::move(readings)));
  return table;
}

namespace {

/// Both sources, what was found and why it is no match (empty: it is one), and how alike they are
/// at each offset: key, offset_s, match.
Material material_of(const std::vector<Timeline>& sources, const std::vector<Tuning>& found,
                     const std::vector<std::string>& refused, const Tune& options) {
  Material material{.timelines = sources};
  material.names["refused"] = refused;
  material.names["on"] = {options.on, options.with.empty() ? options.on : options.with};
  material.names["against"] = {options.against};
  material.tables.emplace("found", table_of(found, Axis()));
  auto keys = std::make_shared<Column::Dictionary>();
  Buffer<std::int32_t> codes;
  Buffer<double> offsets, matches;
  for (const Tuning& tuning : found) {
    keys->push_back(tuning.key.value_or(""));
    const MatchCurve curve = match_curve(sources[0], sources.back(), options, tuning);
    for (std::size_t i = 0; i < curve.offsets_s.size(); ++i) {
      codes.push_back(static_cast<std::int32_t>(keys->size()) - 1);
      offsets.push_back(curve.offsets_s[i]);
      matches.push_back(curve.matches[i].value_or(std::numeric_limits<double>::quiet_NaN()));
    }
  }
  Table curves(codes.size());
  curves.add("key", Column::text(std::move(codes), std::move(keys)));
  curves.add("offset_s", Column::numbers(std::move(offsets)));
  curves.add("match", Column::numbers(std::move(matches)));
  material.tables.emplace("curves", std::move(curves));
  return material;
}

}  // namespace

Made apply(std::span<const Timeline> in, const Tune& options) {
  Tuned tuned = in.size() > 1 ? tune(in[0], in[1], options) : tune(in[0], options);
  Made made(std::move(tuned.timeline));
  made.material = [sources = std::vector<Timeline>(in.begin(), in.end()), found = tuned.found,
                   options] {
    return material_of(sources, found, std::vector<std::string>(found.size()), options);
  };
  if (!options.found.empty()) {
    made.beside.push_back({options.found, table_of(tuned.found, in[0].axis())});
  }
  return made;
}

Made look(std::span<const Timeline> in, const Tune& options) {
  const auto compared =
      in.size() > 1 ? compare_clocks(in[0], in[1], options) : compare_clocks(in[0], options);
  Made made = detail::made_of(in.back(), in.back(), Tune::name, describe_options(options));
  std::vector<Tuning> found;
  std::vector<std::string> refused;
  for (const ClockComparison& comparison : compared) {
    found.push_back(comparison.tuning);
    refused.push_back(comparison.refused);
    if (comparison.refused.empty()) continue;
    made.did.notes.push_back(key_text(comparison.tuning.key.value_or(in.back().name())) + ": " +
                             comparison.refused);
  }
  made.material = [sources = std::vector<Timeline>(in.begin(), in.end()), found, refused, options] {
    return material_of(sources, found, refused, options);
  };
  return made;
}

Reach reach(const Tune&) { return {ReachSide::whole(), ReachSide::whole()}; }

}  // namespace zerobeat
