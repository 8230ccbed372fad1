#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <zerobeat/base/text.hpp>
#include <zerobeat/clean/spells.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "kernel/bucket/taken.hpp"
#include "kernel/counters.hpp"
#include "table/key_column.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace {

constexpr std::array<std::string_view, 4> own_columns{"from", "to", "duration_s", "rows"};

void check(const Timeline& timeline, const Spells& options) {
  if (options.where.empty()) {
    fail_usage("spells takes ‹where› CONDITION, like ‹where› 'level_m > 4'");
  }
  if (options.at_least) check_on_axis(timeline.axis(), *options.at_least, "‹at_least›");
  if (options.bridge) check_on_axis(timeline.axis(), *options.bridge, "‹bridge›");
}

/// The runs of set bits among the rows of a strand, joined where `bridge` says so.
std::vector<Spell> runs_of(const Timeline& timeline, std::size_t s, const std::uint64_t* bits,
                           const Spells& options) {
  const Strand& strand = timeline.strands()[s];
  const auto times = timeline.times();
  const auto holds = [&](std::size_t row) { return (bits[row / 64] >> (row % 64) & 1) != 0; };
  std::vector<Spell> found;
  for (std::size_t row = strand.begin; row < strand.end;) {
    if (!holds(row)) {
      ++row;
      continue;
    }
    Spell spell{s, row, row, times[row], {}};
    while (row < strand.end && holds(row)) ++row;
    spell.end = row;
    if (row < strand.end) {
      spell.to = times[row];
    } else {
      const auto step = typical_step(times.subspan(strand.begin, strand.size()));
      spell.to = detail::bounded_instant(Wide(nanoseconds_of(times[row - 1])) +
                                         step.value_or(Nanoseconds(0)).count());
    }
    const bool joins = options.bridge && !found.empty() &&
                       spell.from <= shift(found.back().to, *options.bridge, 1, timeline.zone());
    if (joins) {
      found.back().end = spell.end;
      found.back().to = spell.to;
    } else {
      found.push_back(spell);
    }
  }
  if (options.at_least) {
    std::erase_if(found, [&](const Spell& spell) {
      return spell.to < shift(spell.from, *options.at_least, 1, timeline.zone());
    });
  }
  return found;
}

Column column_of_times(const std::vector<Spell>& all, Instant Spell::*time, const Axis& axis) {
  Buffer<Instant> times(all.size());
  for (std::size_t i = 0; i < all.size(); ++i) times[i] = all[i].*time;
  return on_axis(Column::times(std::move(times)), axis);
}

/// Spells as buckets, of which takes are taken.
detail::Buckets buckets_of(const std::vector<Spell>& all, const Timeline& timeline, bool steps) {
  detail::Buckets buckets;
  std::size_t i = 0;
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    const std::size_t begin = i;
    for (; i < all.size() && all[i].strand == s; ++i) {
      buckets.all.push_back({.start = all[i].from,
                             .stop = all[i].to,
                             .begin = all[i].begin,
                             .end = all[i].end,
                             .strand = static_cast<std::uint32_t>(s)});
    }
    buckets.strands.push_back({timeline.strands()[s].key, begin, i});
  }
  if (steps) buckets.typical_steps = detail::typical_steps_of(timeline);
  return buckets;
}

}  // namespace

std::vector<Spell> find_spells(const Timeline& timeline, const Spells& options,
                               std::int64_t* not_finite) {
  check(timeline, options);
  Buffer<std::uint64_t> bits;
  try {
    bits = rows_where(options.where, timeline, not_finite);
  } catch (const Error& error) {
    fail_usage("‹where›: {}", error.what());
  }
  std::vector<std::vector<Spell>> of_strands(timeline.strands().size());
  detail::parallel_for(std::size_t{0}, of_strands.size(), [&](std::size_t s) {
    of_strands[s] = runs_of(timeline, s, bits.data(), options);
  });
  std::vector<Spell> all;
  for (auto& of_strand : of_strands) all.insert(all.end(), of_strand.begin(), of_strand.end());
  return all;
}

TableResult spells(const Timeline& given, const Spells& options) {
  StepTimer timer(options, given);
  std::vector<Take> takes;
  if (!options.take.empty()) {
    takes = detail::plain_takes(resolve_takes(options.take, given.values(), Stat::mean,
                                              TakenBy::spells, "spells", "", given.key_name()));
  }
  const auto counters = detail::with_counter_steps(given, takes);
  if (counters) takes = counters->takes;
  const Timeline& timeline = counters ? counters->timeline : given;
  std::vector<std::string> others;
  for (const auto& name : timeline.key_names()) others.push_back(name);
  for (const Take& take : takes) others.push_back(take.name);
  detail::check_free(own_columns, others);

  std::int64_t not_finite = 0;
  const auto all = find_spells(timeline, options, &not_finite);
  if (not_finite > 0) {
    timer.note(fmt::format("‹where›: {} results are not finite, and missing", grouped(not_finite)));
  }
  Table table(all.size());
  std::vector<std::uint32_t> strands;
  Buffer<double> durations(all.size());
  Buffer<std::int64_t> rows(all.size());
  for (std::size_t i = 0; i < all.size(); ++i) {
    strands.push_back(static_cast<std::uint32_t>(all[i].strand));
    durations[i] = detail::seconds_between(all[i].from, all[i].to);
    rows[i] = static_cast<std::int64_t>(all[i].end - all[i].begin);
  }
  detail::add_key(table, timeline, strands);
  table.add("from", column_of_times(all, &Spell::from, timeline.axis()));
  table.add("to", column_of_times(all, &Spell::to, timeline.axis()));
  table.add("duration_s", Column::numbers(std::move(durations)));
  table.add("rows", Column::integers(std::move(rows)));
  const bool steps = std::ranges::any_of(takes, detail::needs_typical_step);
  const auto buckets = buckets_of(all, timeline, steps);
  auto taken = detail::take_all(timeline, buckets, takes, {});
  for (std::size_t k = 0; k < takes.size(); ++k) {
    table.add(takes[k].name, on_axis(std::move(taken.columns[k]), timeline.axis()));
  }
  for (auto& note : taken.notes) timer.note(std::move(note));
  if (counters) table = detail::without_counter_steps(table);
  return {std::move(table), timer.finish(timeline, static_cast<std::int64_t>(all.size())),
          [given, what = options.where.text()] {
            return Material{.timelines = {given}, .names = {{"where", {what}}}};
          }};
}

std::optional<std::vector<std::string>> columns_needed(const Spells& options, std::string_view) {
  std::vector<std::string> names = options.where.columns();
  if (options.take.empty()) return names;
  auto taken = columns_of(options.take);
  if (!taken) return std::nullopt;
  names.insert(names.end(), taken->begin(), taken->end());
  return names;
}

Reach reach(const Spells&) { return {ReachSide::whole(), ReachSide::whole()}; }

}  // namespace zerobeat
