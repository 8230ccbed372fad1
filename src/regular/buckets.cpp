#include "regular/buckets.hpp"

#include <algorithm>
#include <functional>
#include <limits>
#include <zerobeat/table/account.hpp>

#include "base/wide.hpp"

namespace zerobeat::detail {

namespace {

Instant bounded(Wide nanoseconds) {
  return instant_of(static_cast<std::int64_t>(
      std::clamp<Wide>(nanoseconds, std::numeric_limits<std::int64_t>::min(),
                       std::numeric_limits<std::int64_t>::max())));
}

/// N equal buckets over a span. Its end belongs to the last one, or its start to the first.
class EqualBuckets {
 public:
  EqualBuckets(Instant first, Instant last, std::int64_t n, Resample::Closed closed) : n_(n) {
    const bool at_end = closed == Resample::Closed::end;
    first_ = nanoseconds_of(first) - Wide(at_end);
    span_ = nanoseconds_of(last) + Wide(!at_end) - first_;
  }
  Instant edge(std::int64_t i) const { return bounded(first_ + span_ * i / n_); }
  std::int64_t index_of(Instant t) const {
    auto i = static_cast<std::int64_t>((nanoseconds_of(t) - first_) * n_ / span_);
    while (edge(i) > t) --i;
    while (i + 1 < n_ && edge(i + 1) <= t) ++i;
    return i;
  }

 private:
  Wide first_ = 0, span_ = 1;
  std::int64_t n_;
};

void check(const Resample& options) {
  if (options.every.has_value() == options.buckets.has_value()) {
    fail_usage("resample needs either --every PERIOD or --buckets N{}",
               options.every ? ", not both" : "");
  }
  if (options.buckets && *options.buckets < 1) {
    fail_usage("--buckets {}: there is at least one bucket", *options.buckets);
  }
  if (options.every && options.every->is_zero()) {
    fail_usage("--every 0: a bucket is longer than zero");
  }
  if (options.anchor && options.week_starts) {
    fail_usage("--anchor and --week-starts contradict each other: both say where a week starts");
  }
  if (options.buckets && (options.anchor || options.week_starts)) {
    fail_usage("--buckets spans the data; --anchor and --week-starts go with --every");
  }
  const bool weeks = options.every && options.every->days != 0 && options.every->days % 7 == 0;
  if (options.week_starts && !weeks) {
    fail_usage("--week-starts goes with periods of weeks, like --every 1wk");
  }
  if (options.min_count && *options.min_count < 0) {
    fail_usage("--min-count {}: a number of readings is not negative", *options.min_count);
  }
  if (options.min_coverage && !(*options.min_coverage >= 0 && *options.min_coverage <= 1)) {
    fail_usage("--min-coverage {}: a share goes from 0 to 1", *options.min_coverage);
  }
}

/// What lies before the strand's first record or after its last, beyond one typical step.
bool is_partial(const Bucket& bucket, Instant first, Instant last, Nanoseconds step) {
  const Wide before = Wide(nanoseconds_of(first)) - nanoseconds_of(bucket.start);
  const Wide after = Wide(nanoseconds_of(bucket.stop)) - nanoseconds_of(last);
  return before > step.count() || after > step.count();
}

template <typename Edges>
void fill_strand(const Edges& edges, const Timeline& timeline, const Strand& strand,
                 const Resample& options, std::optional<Nanoseconds> step, Buckets& out) {
  const auto times = timeline.times();
  const bool at_end = options.closed == Resample::Closed::end;
  const auto index_of = [&](Instant t) {
    return edges.index_of(at_end && t != Instant::min() ? t - Nanoseconds(1) : t);
  };
  const Instant first = times[strand.begin], last = times[strand.end - 1];
  std::size_t row = strand.begin;
  std::int64_t n = index_of(first);
  const std::int64_t last_bucket = index_of(last);
  Bucket bucket;
  bucket.stop = edges.edge(n);
  for (; n <= last_bucket; ++n) {
    bucket.start = bucket.stop;
    bucket.stop = edges.edge(n + 1);
    bucket.begin = row;
    if (n == last_bucket) {
      row = strand.end;
    } else if (at_end) {
      while (row < strand.end && times[row] <= bucket.stop) ++row;
    } else {
      while (row < strand.end && times[row] < bucket.stop) ++row;
    }
    bucket.end = row;
    const bool empty = bucket.begin == bucket.end;
    if (empty && bucket.start == bucket.stop) continue;  // a day that the zone skips
    if (empty && options.empty == Resample::Empty::skip) {
      // On to the next bucket with a record.
      n = index_of(times[row]) - 1;
      bucket.stop = edges.edge(n + 1);
      continue;
    }
    bucket.partial = options.partial != Resample::Partial::keep &&
                     is_partial(bucket, first, last, step.value_or(Nanoseconds(0)));
    if (bucket.partial && options.partial == Resample::Partial::drop) continue;
    out.all.push_back(bucket);
  }
}

template <typename Edges>
void check_number(const Edges& edges, const Timeline& timeline, const Resample& options) {
  if (options.empty == Resample::Empty::skip) return;
  constexpr Wide most = 1'000'000'000;
  Wide number = 0;
  for (const Strand& strand : timeline.strands()) {
    if (strand.size() == 0) continue;
    number += Wide(edges.index_of(timeline.times()[strand.end - 1])) -
              edges.index_of(timeline.times()[strand.begin]) + 1;
  }
  if (number > most) {
    fail_usage(
        "--every {} would make {} buckets, more than {}; take a longer period, or --empty skip",
        to_text(*options.every), grouped(static_cast<std::int64_t>(number)),
        grouped(static_cast<std::int64_t>(most)));
  }
}

template <typename Edges>
Buckets all_strands(const Edges& edges, const Timeline& timeline, const Resample& options,
                    bool with_typical_steps) {
  Buckets out;
  for (const Strand& strand : timeline.strands()) {
    std::optional<Nanoseconds> step;
    if (with_typical_steps) {
      step = typical_step(timeline.times().subspan(strand.begin, strand.size()));
    }
    const std::size_t begin = out.all.size();
    if (strand.size() > 0) fill_strand(edges, timeline, strand, options, step, out);
    out.strands.push_back({strand.key, begin, out.all.size()});
    out.typical_steps.push_back(step);
  }
  return out;
}

}  // namespace

Buckets find_buckets(const Timeline& timeline, const Resample& options, bool with_typical_steps) {
  check(options);
  with_typical_steps |= options.partial != Resample::Partial::keep;
  if (options.every) {
    std::optional<Instant> anchor;
    if (options.anchor) anchor = options.anchor->in(timeline.zone());
    const Grid grid(*options.every, timeline.zone(), anchor,
                    options.week_starts.value_or(WeekStart::mon));
    check_number(grid, timeline, options);
    return all_strands(grid, timeline, options, with_typical_steps);
  }
  if (timeline.rows() == 0) return {};
  Instant first = Instant::max(), last = Instant::min();
  for (const Strand& strand : timeline.strands()) {
    if (strand.size() == 0) continue;
    first = std::min(first, timeline.times()[strand.begin]);
    last = std::max(last, timeline.times()[strand.end - 1]);
  }
  const EqualBuckets equal(first, last, *options.buckets, options.closed);
  return all_strands(equal, timeline, options, with_typical_steps);
}

}  // namespace zerobeat::detail
