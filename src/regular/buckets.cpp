#include "regular/buckets.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <limits>
#include <optional>
#include <zerobeat/base/text.hpp>

#include "base/parallel.hpp"
#include "kernel/row_search.hpp"
#include "take/definitions.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// N equal buckets over a span. Its end belongs to the last one, or its start to the first: to hold
/// it that edge lies a nanosecond outside, until the rows are found.
class EqualEdges {
 public:
  EqualEdges(Instant first, Instant last, std::int64_t n, Resample::Edge edge)
      : first_(nanoseconds_of(first)),
        span_(Wide(nanoseconds_of(last)) - first_),
        n_(n),
        at_end_(edge == Resample::Edge::end) {}
  Instant edge(std::int64_t i) const {
    const int outside = at_end_ ? (i <= 0 ? -1 : 0) : (i >= n_ ? 1 : 0);
    return bounded_instant(first_ + span_ * i / n_ + outside);
  }
  Instant end(std::int64_t i) const { return edge(i + 1); }
  bool is_gapless() const { return true; }
  std::int64_t index_of(Instant t) const {
    if (span_ == 0) return at_end_ ? 0 : n_ - 1;
    auto i = static_cast<std::int64_t>((nanoseconds_of(t) - first_) * n_ / span_);
    while (i > 0 && edge(i) > t) --i;
    while (i + 1 < n_ && edge(i + 1) <= t) ++i;
    return i;
  }
  /// Puts the outermost edges where the span ends.
  void trim(Bucket& bucket) const {
    if (at_end_ && bucket.start == edge(0)) bucket.start = bounded_instant(first_);
    if (!at_end_ && bucket.stop == edge(n_)) bucket.stop = bounded_instant(first_ + span_);
  }

 private:
  Wide first_ = 0, span_ = 0;
  std::int64_t n_;
  bool at_end_;
};

/// What lies before the strand's first record or after its last, beyond one typical step.
bool is_partial(const Bucket& bucket, Instant first, Instant last, Nanoseconds step) {
  const Wide before = Wide(nanoseconds_of(first)) - nanoseconds_of(bucket.start);
  const Wide after = Wide(nanoseconds_of(bucket.stop)) - nanoseconds_of(last);
  return before > step.count() || after > step.count();
}

/// Some rows of a strand, and the numbers of the buckets [from, until) that they fall into.
struct Task {
  std::uint32_t strand = 0;
  std::size_t row = 0;  ///< near the first row of the first bucket
  std::int64_t from = 0, until = 0;
  std::vector<Bucket> made{};
  std::size_t inside = 0;  ///< rows that are in a bucket
  std::size_t dropped = 0;
};

/// The times whose buckets have rows: the first and the last one.
struct SpanTimes {
  Instant first = Instant::max();
  Instant last = Instant::min();

  bool is_empty() const { return first > last; }
};

/// From the first record of all strands to the last.
SpanTimes span_of_records(const Timeline& timeline) {
  SpanTimes span;
  for (const Strand& strand : timeline.strands()) {
    if (strand.size() == 0) continue;
    span.first = std::min(span.first, timeline.times()[strand.begin]);
    span.last = std::max(span.last, timeline.times()[strand.end - 1]);
  }
  return span;
}

SpanTimes span_asked_for(const Timeline& timeline, const BucketSpan& asked) {
  SpanTimes span = span_of_records(timeline);
  const auto moment = [&](const std::string& text) {
    return moment_on(timeline.axis(), timeline.zone(), text, "‹span›");
  };
  if (!asked.from.empty()) span.first = moment(asked.from);
  if (!asked.to.empty()) {
    const Instant until = moment(asked.to);
    if (!asked.from.empty() && until <= span.first) {
      fail_usage("‹span› {}: the first is not before the second", to_text(asked));
    }
    if (until == Instant::min()) return {};
    span.last = until - Nanoseconds(1);
  }
  return span;
}

template <typename Edges>
class Finder {
 public:
  /// With `span`, all strands have the same buckets: those that it meets.
  Finder(const Edges& edges, const Timeline& timeline, const Resample& options,
         const std::optional<SpanTimes>& span, Buckets& out)
      : edges_(edges),
        times_(timeline.times()),
        strands_(timeline.strands()),
        options_(options),
        at_end_(options.edge == Resample::Edge::end),
        out_(out) {
    if (span) range_ = range_of(*span);
  }

  void run(const std::string& period) {
    check_number(period);
    std::vector<Task> tasks = this->tasks();
    detail::parallel_for(std::size_t{0}, tasks.size(), [&](std::size_t i) { find(tasks[i]); });
    std::size_t number = 0, inside = 0, rows = 0;
    for (const Task& task : tasks) {
      number += task.made.size();
      inside += task.inside;
      out_.dropped += task.dropped;
    }
    for (const Strand& strand : strands_) rows += strand.size();
    out_.outside = edges_.is_gapless() && !range_ ? 0 : rows - inside;
    out_.all.reserve(number);
    std::size_t at = 0;
    for (std::uint32_t s = 0; s < strands_.size(); ++s) {
      const std::size_t begin = out_.all.size();
      for (; at < tasks.size() && tasks[at].strand == s; ++at) {
        out_.all.insert(out_.all.end(), tasks[at].made.begin(), tasks[at].made.end());
        tasks[at].made = {};
      }
      if (!edges_.is_gapless() && !range_) trim(begin);
      out_.strands.push_back({strands_[s].key, begin, out_.all.size()});
    }
  }

 private:
  /// Numbers of buckets: [from, until).
  struct Range {
    std::int64_t from = 0, until = 0;
  };

  Range range_of(const SpanTimes& span) const {
    if (span.is_empty()) return {};
    Range range{edges_.index_of(span.first), edges_.index_of(span.last) + 1};
    // The bucket that holds a time at an edge is the one before it.
    if (at_end_ && options_.span.kind == BucketSpan::Kind::all) range.from = index_of(span.first);
    if (!edges_.is_gapless() && edges_.end(range.from) <= span.first) ++range.from;
    return range;
  }

  /// A strand's first and last records may lie between sessions; its first and last buckets are
  /// those that hold a record.
  void trim(std::size_t begin) const {
    const auto is_empty = [](const Bucket& bucket) { return bucket.begin == bucket.end; };
    while (out_.all.size() > begin && is_empty(out_.all.back())) out_.all.pop_back();
    const auto from = out_.all.begin() + static_cast<std::ptrdiff_t>(begin);
    out_.all.erase(from, std::find_if_not(from, out_.all.end(), is_empty));
  }

  std::int64_t index_of(Instant t) const {
    return edges_.index_of(at_end_ && t != Instant::min() ? t - Nanoseconds(1) : t);
  }

  void check_number(const std::string& period) const {
    if (options_.empty == Resample::Empty::skip) return;
    constexpr Wide most = 1'000'000'000;
    Wide number = 0;
    for (const Strand& strand : strands_) {
      if (range_) {
        number += Wide(range_->until) - range_->from;
        continue;
      }
      if (strand.size() == 0) continue;
      number += Wide(index_of(times_[strand.end - 1])) - index_of(times_[strand.begin]) + 1;
    }
    if (number > most) {
      fail_usage(
          "{} would make {} buckets, more than {}; take {}, or ‹empty› skip", period,
          grouped(static_cast<std::int64_t>(number)), grouped(static_cast<std::int64_t>(most)),
          std::holds_alternative<EqualBuckets>(options_.every) ? "fewer" : "a longer period");
    }
  }

  /// Strands are split by rows, so that how does not depend on the number of threads.
  std::vector<Task> tasks() const {
    constexpr std::size_t rows_of_task = 1 << 17;
    std::vector<Task> tasks;
    for (std::uint32_t s = 0; s < strands_.size(); ++s) {
      const Strand& strand = strands_[s];
      if (range_) {
        add_tasks(s, tasks);
        continue;
      }
      if (strand.size() == 0) continue;
      std::int64_t from = index_of(times_[strand.begin]);
      // Before the first session there is none.
      const Instant first = times_[strand.begin], end = edges_.end(from);
      if (!edges_.is_gapless() && (at_end_ ? end < first : end <= first)) ++from;
      for (std::size_t row = strand.begin; row < strand.end; row += rows_of_task) {
        const std::size_t next = row + rows_of_task;
        Task task{.strand = s, .row = row, .from = from};
        task.until =
            next < strand.end ? index_of(times_[next]) : index_of(times_[strand.end - 1]) + 1;
        from = task.until;
        if (task.from < task.until) tasks.push_back(std::move(task));
      }
    }
    return tasks;
  }

  /// The buckets of the range, for one strand.
  void add_tasks(std::uint32_t s, std::vector<Task>& tasks) const {
    constexpr std::int64_t buckets_of_task = 1 << 17;
    for (std::int64_t from = range_->from; from < range_->until; from += buckets_of_task) {
      Task task{.strand = s, .row = strands_[s].begin, .from = from};
      task.until = std::min(range_->until, from + buckets_of_task);
      tasks.push_back(std::move(task));
    }
  }

  void find(Task& task) const {
    const Strand& strand = strands_[task.strand];
    // Of a strand of no rows every bucket is before it begins.
    const bool has_rows = strand.size() > 0;
    const Instant first = has_rows ? times_[strand.begin] : Instant::max();
    const Instant last = has_rows ? times_[strand.end - 1] : Instant::max();
    const bool marks = options_.partial != Resample::Partial::keep;
    const Nanoseconds step =
        marks ? out_.typical_steps[task.strand].value_or(Nanoseconds(0)) : Nanoseconds(0);
    const auto first_from = [&](std::size_t from, std::size_t guess, Instant edge) {
      if (at_end_) {
        return first_not(from, strand.end, guess, [&](std::size_t i) { return times_[i] <= edge; });
      }
      return first_not(from, strand.end, guess, [&](std::size_t i) { return times_[i] < edge; });
    };
    Bucket bucket;
    bucket.strand = task.strand;
    bucket.stop = edges_.edge(task.from);
    std::size_t row = first_from(strand.begin, task.row, bucket.stop);
    // The first bucket of a strand may start where instants do: nothing lies before it.
    if (has_rows && bucket.stop <= first) row = strand.begin;
    std::size_t rows_before = 0;
    const bool gapless = edges_.is_gapless();
    if (options_.empty == Resample::Empty::keep && gapless) {
      task.made.reserve(static_cast<std::size_t>(task.until - task.from));
    }
    for (std::int64_t n = task.from; n < task.until; ++n) {
      bucket.start = gapless ? bucket.stop : edges_.edge(n);
      bucket.stop = edges_.end(n);
      if (!gapless) row = first_from(row, row, bucket.start);
      bucket.begin = row;
      // What is at the very end of time has no bucket after it to be in.
      row = bucket.stop == Instant::max() ? strand.end
                                          : first_from(row, row + rows_before, bucket.stop);
      bucket.end = row;
      rows_before = bucket.end - bucket.begin;
      const bool empty = rows_before == 0;
      if (empty && bucket.start == bucket.stop) continue;  // a day that the zone skips
      if (empty && options_.empty == Resample::Empty::skip) {
        if (row == strand.end) break;
        // On to the next bucket with a record.
        std::int64_t next = index_of(times_[row]);
        if (next <= n) {  // it is between two sessions
          row = first_not(row, strand.end, row,
                          [&](std::size_t i) { return index_of(times_[i]) <= n; });
          if (row == strand.end) break;
          next = index_of(times_[row]);
        }
        n = next - 1;
        bucket.stop = edges_.edge(next);
        continue;
      }
      task.inside += rows_before;
      bucket.partial = marks && is_partial(bucket, first, last, step);
      if (bucket.partial && options_.partial == Resample::Partial::drop) {
        ++task.dropped;
        continue;
      }
      task.made.push_back(bucket);
    }
  }

  const Edges& edges_;
  std::span<const Instant> times_;
  std::span<const Strand> strands_;
  const Resample& options_;
  bool at_end_;
  Buckets& out_;
  std::optional<Range> range_;
};

/// Buckets that the data closes: `closes(row)` when a row is the last of its bucket.
template <typename Closes>
void close_by_rows(const Timeline& timeline, const Resample& options, Closes&& closes,
                   Buckets& out) {
  const auto times = timeline.times();
  for (std::uint32_t s = 0; s < timeline.strands().size(); ++s) {
    const Strand& strand = timeline.strands()[s];
    const std::size_t first_bucket = out.all.size();
    std::size_t begin = strand.begin;
    for (std::size_t row = strand.begin; row < strand.end; ++row) {
      const bool closed = closes(row, row == begin);
      if (!closed && row + 1 < strand.end) continue;
      Bucket bucket;
      bucket.start = times[begin];
      bucket.stop = row + 1 < strand.end
                        ? times[row + 1]
                        : bounded_instant(Wide(nanoseconds_of(times[row])) +
                                          out.typical_steps[s].value_or(Nanoseconds(0)).count());
      bucket.begin = begin;
      bucket.end = row + 1;
      bucket.strand = s;
      bucket.partial = !closed;
      begin = row + 1;
      if (bucket.partial && options.partial == Resample::Partial::drop) {
        ++out.dropped;
        continue;
      }
      out.all.push_back(bucket);
    }
    out.strands.push_back({strand.key, first_bucket, out.all.size()});
  }
}

void close_by_count(const Timeline& timeline, const Resample& options, const ByCount& by,
                    Buckets& out) {
  std::int64_t count = 0;
  close_by_rows(
      timeline, options,
      [&](std::size_t, bool first) {
        count = first ? 1 : count + 1;
        return count == by.records;
      },
      out);
}

void close_by_sum(const Timeline& timeline, const Resample& options, const BySum& by,
                  Buckets& out) {
  const Column& summed = timeline.values().column(by.amount.column);
  if (!summed.is_numeric()) {
    fail_usage("‹by_sum› {}: column \"{}\" holds {}, not numbers", to_text(by), by.amount.column,
               to_text(summed.type()));
  }
  const Column column = summed.as_numbers();
  const auto values = column.numbers();
  std::int64_t negative = 0;
  CompensatedSum sum;
  close_by_rows(
      timeline, options,
      [&](std::size_t row, bool first) {
        if (first) sum = {};
        if (!column.valid(row)) return false;
        negative += values[row] < 0;
        sum.add(values[row]);
        return sum.value() >= by.amount.size;
      },
      out);
  if (negative > 0) {
    out.notes.push_back(fmt::format("{} readings of {} are negative and made its sum smaller",
                                    grouped(negative), by.amount.column));
  }
}

/// Edges are kept within the instants that there are; whoever reads them is told.
void note_edges_beyond(Resample::RowAt row_at, Buckets& out) {
  const auto beyond = std::ranges::count_if(out.all, [&](const Bucket& bucket) {
    const bool starts = row_at != Resample::RowAt::end && bucket.start == Instant::min();
    return starts || (row_at != Resample::RowAt::start && bucket.stop == Instant::max());
  });
  if (beyond == 0) return;
  out.notes.push_back(fmt::format(
      "{} of {} buckets reach beyond the times that can be held, {} to {}; their row stands at the "
      "outermost of these, not at their edge",
      grouped(beyond), grouped(static_cast<std::int64_t>(out.all.size())), to_text(Instant::min()),
      to_text(Instant::max())));
}

}  // namespace

std::vector<Period> levels_of(const Resample& options) {
  const auto* every = std::get_if<Every>(&options.every);
  return every == nullptr ? std::vector<Period>() : every->levels;
}

void check_options(const Resample& options) {
  if (std::holds_alternative<std::monostate>(options.every)) fail_usage("{}", Resample::ways);
  const auto* equal = std::get_if<EqualBuckets>(&options.every);
  if (equal != nullptr && equal->number < 1) {
    fail_usage("‹buckets› {}: there is at least one bucket", equal->number);
  }
  const auto* by_count = std::get_if<ByCount>(&options.every);
  if (by_count != nullptr && by_count->records < 1) {
    fail_usage("‹by_count› {}: a bucket holds at least one record", by_count->records);
  }
  const auto* every = std::get_if<Every>(&options.every);
  if (every != nullptr) {
    if (every->levels.empty()) fail_usage("‹every› names no period");
    for (const Period& period : every->levels) {
      if (period.is_zero()) fail_usage("‹every› 0: a bucket is longer than zero");
      if (std::ranges::count(every->levels, period) > 1) {
        fail_usage("‹every› {}: {} is there twice", to_text(*every), to_text(period));
      }
    }
  }
  if (options.anchor && options.week_starts) {
    fail_usage("‹anchor› and ‹week_starts› contradict each other: both say where a week starts");
  }
  if (every == nullptr && (options.anchor || options.week_starts || options.hours)) {
    fail_usage("‹anchor›, ‹week_starts› and ‹hours› go with ‹every›");
  }
  if (every == nullptr && equal == nullptr && options.span != BucketSpan()) {
    fail_usage("‹span› {}: goes with ‹every› and ‹buckets›; these buckets are closed by records",
               to_text(options.span));
  }
  if (are_closed_by_records(options) && options.edge == Resample::Edge::end) {
    fail_usage("‹edge› end goes with ‹every› and ‹buckets›; these buckets are closed by records");
  }
  const auto is_weeks = [](const Period& period) {
    return period.days != 0 && period.days % 7 == 0;
  };
  if (options.week_starts && !std::ranges::any_of(every->levels, is_weeks)) {
    fail_usage("‹week_starts› goes with periods of weeks, like ‹every› 1wk");
  }
  if (options.min_count && *options.min_count < 0) {
    fail_usage("‹min_count› {}: a number of readings is not negative", *options.min_count);
  }
  if (options.min_coverage && !(*options.min_coverage >= 0 && *options.min_coverage <= 1)) {
    fail_usage("‹min_coverage› {}: a share goes from 0 to 1", *options.min_coverage);
  }
  const auto calendar = options.days.read();
  const bool working_days = calendar && !calendar->is_plain();
  if (working_days && every == nullptr) fail_usage("working days go with ‹every›, like ‹every› 1d");
}

Buckets find_buckets(const Timeline& timeline, const Resample& options,
                     const std::optional<Period>& every, bool with_typical_steps) {
  Buckets out;
  if (with_typical_steps || options.partial != Resample::Partial::keep ||
      are_closed_by_records(options)) {
    out.typical_steps = typical_steps_of(timeline);
  }
  std::optional<SpanTimes> span;
  if (options.span.kind != BucketSpan::Kind::own) {
    span = span_asked_for(timeline, options.span);
  }
  if (every) {
    check_on_axis(timeline.axis(), *every, "‹every›");
    if (options.hours) need_instants(timeline.axis(), "‹hours›");
    if (options.anchor) need_instants(timeline.axis(), "‹anchor›");
    if (options.days.given()) need_instants(timeline.axis(), "‹holidays› and ‹weekend›");
    GridOptions grid_options{.zone = timeline.zone(),
                             .week_starts = options.week_starts.value_or(WeekStart::mon),
                             .hours = options.hours};
    if (options.anchor) grid_options.anchor = options.anchor->in(timeline.zone());
    if (const auto calendar = options.days.read()) grid_options.calendar = *calendar;
    const Grid grid(*every, grid_options);
    Finder(grid, timeline, options, span, out).run("‹every› " + to_text(*every));
    note_edges_beyond(options.row_at, out);
    return out;
  }
  if (const auto* count = std::get_if<ByCount>(&options.every)) {
    close_by_count(timeline, options, *count, out);
    return out;
  }
  if (const auto* sum = std::get_if<BySum>(&options.every)) {
    close_by_sum(timeline, options, *sum, out);
    return out;
  }
  const SpanTimes ends = span.value_or(span_of_records(timeline));
  if (ends.is_empty()) {
    for (const Strand& strand : timeline.strands()) out.strands.push_back({strand.key, 0, 0});
    return out;
  }
  const auto& asked = std::get<EqualBuckets>(options.every);
  // Of a range that is asked for, the last bucket ends where it does.
  const bool is_range = !options.span.to.empty();
  const EqualEdges equal(ends.first, is_range ? ends.last + Nanoseconds(1) : ends.last,
                         asked.number, options.edge);
  Finder(equal, timeline, options, span, out).run("‹buckets› " + to_text(asked));
  for (Bucket& bucket : out.all) equal.trim(bucket);
  return out;
}

}  // namespace zerobeat::detail
