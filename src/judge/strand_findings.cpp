#include "judge/strand_findings.hpp"

#include <algorithm>
#include <map>
#include <zerobeat/table/timeline.hpp>

#include "judge/rhythm.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// The times of a strand, in both orders. `memory` holds what had to be put together.
struct StrandMemory {
  std::vector<Instant> sorted, arrived;
  std::vector<std::int64_t> arrived_rows;
};

StrandTimes times_of(const Records& records, const RecordOrder& order, const Strand& strand,
                     StrandMemory& memory) {
  const auto times = records.times.times();
  StrandTimes out;
  if (order.rows.empty()) {
    out.sorted = out.arrived = times.subspan(strand.begin, strand.size());
    out.first_row = static_cast<std::int64_t>(strand.begin);
    return out;
  }
  out.sorted_rows = std::span<const std::int64_t>(order.rows).subspan(strand.begin, strand.size());
  memory.sorted.reserve(strand.size());
  for (const std::int64_t row : out.sorted_rows) {
    memory.sorted.push_back(times[static_cast<std::size_t>(row)]);
  }
  out.sorted = memory.sorted;
  // Rows ascend in order of arrival.
  if (std::ranges::is_sorted(out.sorted_rows)) {
    out.arrived = out.sorted;
    out.arrived_rows = out.sorted_rows;
    return out;
  }
  out.in_order = false;
  memory.arrived_rows.assign(out.sorted_rows.begin(), out.sorted_rows.end());
  std::ranges::sort(memory.arrived_rows);
  memory.arrived.reserve(strand.size());
  for (const std::int64_t row : memory.arrived_rows) {
    memory.arrived.push_back(times[static_cast<std::size_t>(row)]);
  }
  out.arrived = memory.arrived;
  out.arrived_rows = memory.arrived_rows;
  return out;
}

}  // namespace

RoundInstants round_instants(const Zone& zone) {
  using namespace std::chrono;
  const std::pair<year_month_day, const char*> days[] = {
      {1899y / December / 30, "1899-12-30"}, {1899y / December / 31, "1899-12-31"},
      {1900y / January / 1, "1900-01-01"},   {1904y / January / 1, "1904-01-01"},
      {1970y / January / 1, "1970-01-01"},   {1980y / January / 1, "1980-01-01"},
      {1980y / January / 6, "1980-01-06"},   {2000y / January / 1, "2000-01-01"},
      {2038y / January / 19, "2038-01-19"},  {2099y / December / 31, "2099-12-31"}};
  RoundInstants out;
  for (const auto& [day, name] : days) {
    const Instant utc = Instant(sys_days(day));
    out.emplace_back(utc, name);
    const Instant local = zone.first_instant(local_time<Nanoseconds>(local_days(day)));
    if (local != utc) out.emplace_back(local, name);
  }
  return out;
}

namespace {

/// Round instants that lie far from all else in their strand.
void look_for_round_instants(const StrandTimes& times, const RoundInstants& rounds,
                             StrandFindings& out) {
  constexpr std::int64_t far = std::int64_t{30} * 86'400 * 1'000'000'000;
  for (const auto& [instant, name] : rounds) {
    const auto [from, to] = std::equal_range(times.sorted.begin(), times.sorted.end(), instant);
    if (from == to) continue;
    const bool near_before =
        from != times.sorted.begin() && nanoseconds_between(*std::prev(from), instant) < far;
    const bool near_after = to != times.sorted.end() && nanoseconds_between(instant, *to) < far;
    const bool alone = from == times.sorted.begin() && to == times.sorted.end();
    if (near_before || near_after || alone) continue;
    for (auto at = from; at != to; ++at) {
      out.round.add(times.sorted_row(static_cast<std::size_t>(at - times.sorted.begin())));
    }
    out.round_example = name;
  }
}

}  // namespace

StrandFindings look_at_strand(const Records& records, const RecordOrder& order,
                              const Strand& strand, const JudgeOptions& options,
                              const RoundInstants& rounds) {
  StrandMemory memory;
  const StrandTimes times = times_of(records, order, strand, memory);
  StrandFindings out;
  StrandJudgement& judged = out.judgement;
  judged.key = strand.key;
  judged.records = static_cast<std::int64_t>(strand.size());
  judged.first = times.sorted.front();
  judged.last = times.sorted.back();
  out.lateness = look_at_order(times);
  judged.out_of_order = out.lateness.late.count;
  judged.most_late_s = in_seconds(out.lateness.most_late);
  if (const auto step = typical_step(times.sorted)) {
    out.typical = *step;
    judged.typical_step_s = in_seconds(step->count());
    out.steps =
        look_at_steps(times, *step, options.gap_factor, options.calendar, records.time.zone);
    out.rate_changes = rate_changes(times);
    out.jumps = clock_jumps(times, *step, options.gap_factor);
  } else {
    out.steps.duplicates = judged.records - 1;
    if (judged.records > 1) out.steps.first_duplicate_row = times.sorted_row(1);
  }
  judged.duplicate_times = out.steps.duplicates;
  if (judged.duplicate_times > 0) out.stuck = stuck_clock(times);
  judged.gaps = static_cast<std::int64_t>(out.steps.gaps.size());
  for (const Gap& gap : out.steps.gaps) {
    judged.longest_gap_s = std::max(judged.longest_gap_s, in_seconds(gap.length));
  }
  const Axis& axis = records.time.axis;
  if (out.typical.count() > 0 && (axis.is_instants() || !axis.is_count())) {
    std::vector<TimeSpan> gaps;
    for (const Gap& gap : out.steps.gaps) gaps.push_back({gap.from, gap.to});
    judged.rhythm =
        rhythm_of(times.sorted, out.typical, gaps, out.steps.off + out.steps.duplicates == 0,
                  axis.is_instants() ? &records.time.zone : nullptr, options.calendar);
  }
  if (!axis.is_instants()) return out;  // no clock was read
  look_for_round_instants(times, rounds, out);
  if (options.now != Instant{}) {
    const auto after = std::ranges::upper_bound(times.sorted, options.now);
    for (auto at = after; at != times.sorted.end(); ++at) {
      out.future.add(times.sorted_row(static_cast<std::size_t>(at - times.sorted.begin())));
    }
  }
  return out;
}

void ClockFindings::add(StrandFindings&& strand) {
  late.add(strand.lateness.late);
  most_late = std::max(most_late, strand.judgement.most_late_s);
  if (strand.steps.duplicates > 0) {
    duplicates.add(strand.steps.first_duplicate_row, strand.steps.duplicates);
  }
  span += in_seconds(nanoseconds_between(strand.judgement.first, strand.judgement.last));
  if (const auto& own = strand.judgement.rhythm.sessions) {
    pauses += own->pauses;
    if (!sessions) sessions = own;
  }
  for (const Gap& gap : strand.steps.gaps) {
    gaps.add(gap.row);
    open += in_seconds(gap.length - strand.typical.count());
    all_gaps.push_back(gap);
    gap_steps.push_back(strand.typical.count());
  }
  if (strand.steps.off * 2 > strand.judgement.records - 1) {
    off.add(strand.steps.first_off_row, strand.steps.off);
  }
  for (const auto& rate_change : strand.rate_changes) {
    if (rate_change.row < rate_changes.first_row) first_change = rate_change;
    rate_changes.add(rate_change.row);
  }
  for (const auto& jump : strand.jumps) {
    if (jump.row < jumps.first_row) first_jump = jump;
    jumps.add(jump.row);
  }
  stuck.add(strand.stuck);
  round.add(strand.round);
  future.add(strand.future);
  if (round_example.empty()) round_example = std::move(strand.round_example);
}

void ClockFindings::append(ClockFindings&& next) {
  if (next.rate_changes.first_row < rate_changes.first_row) first_change = next.first_change;
  if (next.jumps.first_row < jumps.first_row) first_jump = next.first_jump;
  late.add(next.late);
  pauses += next.pauses;
  if (!sessions) sessions = next.sessions;
  duplicates.add(next.duplicates);
  gaps.add(next.gaps);
  off.add(next.off);
  rate_changes.add(next.rate_changes);
  jumps.add(next.jumps);
  stuck.add(next.stuck);
  round.add(next.round);
  future.add(next.future);
  most_late = std::max(most_late, next.most_late);
  if (round_example.empty()) round_example = std::move(next.round_example);
  all_gaps.insert(all_gaps.end(), next.all_gaps.begin(), next.all_gaps.end());
  gap_steps.insert(gap_steps.end(), next.gap_steps.begin(), next.gap_steps.end());
  span += next.span;
  open += next.open;
}

namespace {

using MissingMonths = std::map<std::chrono::year_month, std::array<double, 24>>;

/// Adds what lies between two clock times to the hours of its months; whole days at once.
void add_missing(std::chrono::local_time<Nanoseconds> from, std::chrono::local_time<Nanoseconds> to,
                 MissingMonths& months) {
  using namespace std::chrono;
  const auto month_of = [](local_days day) {
    const year_month_day date(day);
    return date.year() / date.month();
  };
  const auto add_within = [&](local_days day, double begin, double end) {
    auto& hours = months[month_of(day)];
    for (auto hour = static_cast<std::size_t>(begin / 3600); hour < 24; ++hour) {
      const double first = std::max(begin, 3600.0 * static_cast<double>(hour));
      const double last = std::min(end, 3600.0 * static_cast<double>(hour + 1));
      if (first >= last) break;
      hours[hour] += last - first;
    }
  };
  const auto seconds_of = [](local_time<Nanoseconds> t, local_days day) {
    return duration<double>(t - day).count();
  };
  local_days day = floor<days>(from);
  const local_days last = floor<days>(to);
  if (day == last) return add_within(day, seconds_of(from, day), seconds_of(to, day));
  add_within(day, seconds_of(from, day), 86'400);
  add_within(last, 0, seconds_of(to, last));
  for (day += days(1); day < last;) {
    const local_days next(year_month_day_last(month_of(day) / std::chrono::last));
    const local_days until = std::min(last, next + days(1));
    const double each = 3600.0 * static_cast<double>((until - day).count());
    for (double& hour : months[month_of(day)]) hour += each;
    day = until;
  }
}

}  // namespace

GapProfile profile_of(const ClockFindings& all, const TimeColumn& time) {
  GapProfile profile;
  std::vector<std::int64_t> lengths;
  MissingMonths months;
  double sum = 0;
  for (std::size_t i = 0; i < all.all_gaps.size(); ++i) {
    const Gap& gap = all.all_gaps[i];
    lengths.push_back(gap.length);
    sum += in_seconds(gap.length);
    if (!time.axis.is_instants()) continue;
    const Instant from = bounded_instant(Wide(nanoseconds_of(gap.from)) + all.gap_steps[i]);
    if (from < gap.to) add_missing(time.zone.local_of(from), time.zone.local_of(gap.to), months);
  }
  if (lengths.empty()) return profile;
  std::ranges::sort(lengths);
  const std::size_t n = lengths.size();
  profile.gaps = static_cast<std::int64_t>(n);
  profile.shortest_s = in_seconds(lengths.front());
  profile.longest_s = in_seconds(lengths.back());
  profile.mean_s = sum / static_cast<double>(n);
  profile.median_s = (in_seconds(lengths[(n - 1) / 2]) + in_seconds(lengths[n / 2])) / 2;
  profile.covered = all.span > 0 ? std::max(0.0, 1 - all.open / all.span) : 1;
  for (const auto& [month, missing] : months) profile.months.push_back({month, missing});
  return profile;
}

}  // namespace zerobeat::detail
