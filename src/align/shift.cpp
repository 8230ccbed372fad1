#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <zerobeat/align/shift.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "align/moved_time.hpp"
#include "base/trim.hpp"
#include "base/wide.hpp"
#include "time/forward_shift.hpp"

namespace zerobeat::inline v1 {

namespace {

void check(const Timeline& timeline, const Shift& options) {
  const bool moves = options.by || options.drift || options.at;
  if (!options.to_event.empty()) {
    if (moves) fail_usage("‹to_event› stands alone; ‹by› and ‹drift› move times otherwise");
    return;
  }
  if (options.unit != Shift::Unit::s) fail_usage("‹unit› goes with ‹to_event›");
  if (!options.by && !options.drift) {
    fail_usage("shift takes ‹by› PERIOD, ‹drift› PPM ‹at› T, or ‹to_event› CONDITION");
  }
  if (options.drift.has_value() != options.at.has_value()) {
    fail_usage("‹drift› and ‹at› go together: a drift is counted from an instant");
  }
  if (options.drift && !(*options.drift > -1e6 && std::isfinite(*options.drift))) {
    fail_usage("‹drift› {}: a clock that loses a million parts in a million stands still",
               *options.drift);
  }
  if (options.by) check_on_axis(timeline.axis(), options.by->length, "‹by›");
}

[[noreturn]] void past_range(Instant t) {
  fail_usage("shift: {} would leave the years 1678 to 2261", to_text(t));
}

Instant zero_of(const Timeline& timeline, const Moment& at) {
  if (timeline.axis().is_instants()) return at.in(timeline.zone());
  const auto read = read_elapsed(at.text, *timeline.axis().elapsed);
  if (!read) fail_usage("‹at› {}: the times are {}", shown(at.text), to_text(timeline.axis()));
  return *read;
}

Buffer<Instant> moved_times(const Timeline& timeline, const Shift& options) {
  Buffer<Instant> out(timeline.times());
  const Instant zero = options.at ? zero_of(timeline, *options.at) : Instant{};
  for (Instant& t : out) {
    const Instant instant = t;
    Wide moved = nanoseconds_of(instant);
    if (options.by) {
      const Period& length = options.by->length;
      const int times = options.by->back ? -1 : 1;
      moved = length.is_fixed() ? moved + Wide(length.nanoseconds.count()) * times
                                : Wide(nanoseconds_of(detail::shift_forward(instant, length, times,
                                                                            timeline.zone())));
    }
    // The drift is of the time as it was.
    const auto drifted = detail::moved_time(instant, moved - nanoseconds_of(instant),
                                            options.drift.value_or(0), zero);
    if (!drifted) past_range(instant);
    t = *drifted;
  }
  return out;
}

Timeline moved(const Timeline& timeline, const Shift& options, StepTimer& timer) {
  Timeline::Parts parts = timeline.parts();
  Buffer<Instant> times = moved_times(timeline, options);
  const auto ascends = [&](const Strand& strand) {
    return std::is_sorted(times.begin() + strand.begin, times.begin() + strand.end);
  };
  if (!std::ranges::all_of(parts.strands, ascends)) {
    // Where clocks go back and a day is added, an hour's rows are turned round.
    std::vector<std::int64_t> order(times.size());
    std::iota(order.begin(), order.end(), 0);
    for (const Strand& strand : parts.strands) {
      std::stable_sort(order.begin() + static_cast<std::ptrdiff_t>(strand.begin),
                       order.begin() + static_cast<std::ptrdiff_t>(strand.end),
                       [&](std::int64_t a, std::int64_t b) {
                         return times[static_cast<std::size_t>(a)] <
                                times[static_cast<std::size_t>(b)];
                       });
    }
    parts.times = Column::times(std::move(times)).gather(order);
    parts.values = parts.values.gather(order);
    std::int64_t turned = 0;
    for (std::size_t i = 0; i < order.size(); ++i)
      turned += order[i] != static_cast<std::int64_t>(i);
    timer.note(fmt::format("{} rows changed places, to be in order again", grouped(turned)));
  } else {
    parts.times = Column::times(std::move(times));
  }
  return timer.finish(std::move(parts));
}

ElapsedUnit unit_of(Shift::Unit unit) {
  switch (unit) {
    case Shift::Unit::min:
      return ElapsedUnit::min;
    case Shift::Unit::h:
      return ElapsedUnit::h;
    case Shift::Unit::d:
      return ElapsedUnit::d;
    case Shift::Unit::s:
      break;
  }
  return ElapsedUnit::s;
}

Timeline since_event(const Timeline& timeline, const Shift& options, StepTimer& timer) {
  Buffer<std::uint64_t> bits;
  try {
    bits = rows_where(options.to_event, timeline);
  } catch (const Error& error) {
    fail_usage("‹to_event›: {}", error.what());
  }
  Timeline::Parts parts = timeline.parts();
  parts.strands.clear();
  std::vector<RowStretch> kept;
  std::vector<std::string> without;
  Buffer<Instant> times(timeline.rows());
  std::size_t rows = 0;
  for (const Strand& strand : timeline.strands()) {
    std::size_t event = strand.begin;
    while (event < strand.end && (bits[event / 64] >> (event % 64) & 1) == 0) ++event;
    if (event == strand.end) {
      without.push_back(shown(strand.key.value_or(timeline.name())));
      if (!timeline.has_key()) parts.strands.push_back({std::nullopt, rows, rows});
      continue;
    }
    const Instant zero = timeline.times()[event];
    for (std::size_t row = strand.begin; row < strand.end; ++row) {
      const Wide since = Wide(nanoseconds_of(timeline.times()[row])) - nanoseconds_of(zero);
      if (!detail::fits_int64(since)) past_range(timeline.times()[row]);
      times[rows + row - strand.begin] = instant_of(static_cast<std::int64_t>(since));
    }
    kept.push_back({strand.begin, strand.end});
    parts.strands.push_back({strand.key, rows, rows + strand.size()});
    rows += strand.size();
  }
  if (!without.empty()) {
    constexpr std::size_t most = 10;
    const std::size_t number = without.size();
    if (number > most) without.resize(most);
    timer.note(fmt::format("it never holds in {}{}; left out", fmt::join(without, ", "),
                           number > most ? fmt::format(" and {} more", number - most) : ""));
  }
  times.resize(rows);
  if (rows < timeline.rows()) parts.values = parts.values.gather(kept);
  parts.times = Column::times(std::move(times));
  parts.axis = {unit_of(options.unit), options.to_event.text()};
  parts.zone = Zone();
  return timer.finish(std::move(parts));
}

}  // namespace

void from_text(std::string_view text, Offset& out) {
  std::string_view rest = detail::trim(text);
  Offset read;
  read.back = rest.starts_with('-');
  if (read.back || rest.starts_with('+')) rest.remove_prefix(1);
  from_text(rest, read.length);
  out = read;
}

std::string to_text(const Offset& offset) {
  return (offset.back ? "-" : "") + to_text(offset.length);
}

Timeline shift(const Timeline& timeline, const Shift& options) {
  StepTimer timer(options, timeline);
  check(timeline, options);
  return options.to_event.empty() ? moved(timeline, options, timer)
                                  : since_event(timeline, options, timer);
}

Reach reach(const Shift& options) {
  // What it does to a row depends on that row; but its time is another, which reach is not of.
  if (!options.to_event.empty()) return {ReachSide::whole(), ReachSide::whole()};
  if (options.drift) return {ReachSide::whole(), ReachSide::whole()};
  if (!options.by || options.by->length.is_zero()) return {};
  const ReachSide far = ReachSide::of(Extent(options.by->length));
  return options.by->back ? Reach{{}, far} : Reach{far, {}};
}

}  // namespace zerobeat
