#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/window/lag.hpp>

#include "time/wide_instant.hpp"

namespace zerobeat {

namespace {

void check(const Extent& by) {
  if (by.in_rows() ? by.rows < 1 : by.period.is_zero()) {
    fail_usage("--by {}: a lag is at least 1 record, or a period longer than zero", to_text(by));
  }
}

/// For each row of a strand, the row that stands against it; -1 when there is none.
void find_by_rows(const Strand& strand, std::int64_t by, bool ahead, std::int64_t* out) {
  const auto size = static_cast<std::int64_t>(strand.size());
  for (std::int64_t i = 0; i < size; ++i) {
    const bool there = ahead ? by < size - i : by <= i;
    out[i] = there ? static_cast<std::int64_t>(strand.begin) + (ahead ? i + by : i - by) : -1;
  }
}

void find_by_period(const Timeline& timeline, const Column& column, const Strand& strand,
                    const Period& by, bool ahead, std::int64_t* out) {
  const auto times = timeline.times();
  if (!ahead) {
    std::size_t at = strand.begin;
    std::int64_t latest = -1;
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      const Instant target = shift(times[i], by, -1, timeline.zone());
      for (; at < strand.end && times[at] <= target; ++at) {
        if (column.valid(at)) latest = static_cast<std::int64_t>(at);
      }
      out[i - strand.begin] = latest;
    }
    return;
  }
  std::size_t at = strand.begin;
  for (std::size_t i = strand.begin; i < strand.end; ++i) {
    const Instant target = shift(times[i], by, 1, timeline.zone());
    while (at < strand.end && (times[at] < target || !column.valid(at))) ++at;
    out[i - strand.begin] = at < strand.end ? static_cast<std::int64_t>(at) : -1;
  }
}

std::vector<std::int64_t> other_rows(const Timeline& timeline, const Column& column,
                                     const Extent& by, bool ahead) {
  std::vector<std::int64_t> rows(timeline.rows());
  tbb::parallel_for(std::size_t{0}, timeline.strands().size(), [&](std::size_t s) {
    const Strand& strand = timeline.strands()[s];
    std::int64_t* const out = rows.data() + strand.begin;
    if (by.in_rows()) {
      find_by_rows(strand, by.rows, ahead, out);
    } else {
      find_by_period(timeline, column, strand, by.period, ahead, out);
    }
  });
  return rows;
}

/// The difference of integers, when every one fits.
std::optional<Column> whole_difference(const Column& column, std::span<const std::int64_t> old) {
  const auto values = column.integers();
  Buffer<std::int64_t> out(values.size());
  ValidityBuilder validity(values.size());
  for (std::size_t i = 0; i < values.size(); ++i) {
    const bool there =
        old[i] >= 0 && column.valid(i) && column.valid(static_cast<std::size_t>(old[i]));
    out[i] = 0;
    if (!there) {
      validity.set_missing(i);
    } else if (__builtin_sub_overflow(values[i], values[static_cast<std::size_t>(old[i])],
                                      &out[i])) {
      return std::nullopt;
    }
  }
  return Column::integers(std::move(out), validity.take());
}

Column changes(const Timeline& timeline, const Column& column, std::span<const std::int64_t> old,
               Stat stat) {
  if (stat == Stat::diff && column.type() == Column::Type::integer) {
    if (auto whole = whole_difference(column, old)) return std::move(*whole);
  }
  const Column numbers = column.as_numbers();
  const auto values = numbers.numbers();
  const auto times = timeline.times();
  Buffer<double> out(values.size());
  ValidityBuilder validity(values.size());
  for (std::size_t i = 0; i < values.size(); ++i) {
    out[i] = 0;
    const auto j = static_cast<std::size_t>(old[i]);
    if (old[i] < 0 || !numbers.valid(i) || !numbers.valid(j)) {
      validity.set_missing(i);
      continue;
    }
    const double now = values[i], then = values[j];
    bool there = true;
    switch (stat) {
      case Stat::diff:
        out[i] = now - then;
        break;
      case Stat::change:
        there = then != 0;
        if (there) out[i] = (now - then) / then;
        break;
      case Stat::log_return:
        there = now > 0 && then > 0;
        if (there) out[i] = std::log(now / then);
        break;
      default: {
        const double seconds = detail::seconds_between(times[j], times[i]);
        there = seconds != 0;
        if (there) out[i] = (now - then) / seconds;
      }
    }
    if (!there || std::isnan(out[i])) validity.set_missing(i);
  }
  return Column::numbers(std::move(out), validity.take());
}

}  // namespace

Timeline lag(const Timeline& timeline, const Lag& options) {
  StepTimer timer("lag", describe_options(options), timeline);
  check(options.by);
  check_on_axis(timeline.axis(), options.by, "--by");
  const auto takes = resolve_takes(options.take, timeline.values(), Stat::lag, TakenBy::lags, "lag",
                                   timeline.time_name(), timeline.key_name());
  Timeline::Parts parts = timeline.parts();
  for (const Take& take : takes) {
    const Column& column = timeline.values().column(take.column);
    const auto rows = other_rows(timeline, column, options.by, take.stat == Stat::lead);
    const bool shift_only = take.stat == Stat::lag || take.stat == Stat::lead;
    parts.values.add(take.result_name(),
                     shift_only ? column.gather(rows) : changes(timeline, column, rows, take.stat));
  }
  return timer.finish(std::move(parts));
}

Reach reach(const Lag& options) {
  const bool leads =
      std::ranges::any_of(options.take, [](const Take& take) { return take.stat == Stat::lead; });
  const bool lags = options.take.empty() || std::ranges::any_of(options.take, [](const Take& take) {
                      return take.stat != Stat::lead;
                    });
  const ReachSide rows = ReachSide::of(options.by);
  // The last reading at or before t - p may lie any way back.
  const ReachSide side = options.by.in_rows() ? rows : ReachSide::whole();
  return {lags ? side : ReachSide::none(), leads ? side : ReachSide::none()};
}

}  // namespace zerobeat
