#include "kernel/bucket/standing.hpp"

#include <algorithm>
#include <charconv>
#include <limits>

#include "base/wide.hpp"
#include "kernel/row_search.hpp"
#include "kernel/sums.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::int64_t none = -1;

double seconds_of(Wide nanoseconds) { return static_cast<double>(nanoseconds) / 1e9; }

/// The readings of a column by row, each with the one before it.
class Readings {
 public:
  Readings(const Timeline& timeline, const Column& column)
      : times_(timeline.times()), column_(column) {
    if (column.validity().all()) return;
    // Looking back over a long stretch of missing readings, again and again, would be slow.
    before_.resize(timeline.rows() + 1);
    for (const Strand& strand : timeline.strands()) {
      std::int64_t latest = none;
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        before_[i] = latest;
        if (column.valid(i)) latest = static_cast<std::int64_t>(i);
      }
      last_.push_back(latest);
    }
    after_.resize(timeline.rows());
    for (const Strand& strand : timeline.strands()) {
      std::int64_t next = none;
      for (std::size_t i = strand.end; i > strand.begin; --i) {
        if (column.valid(i - 1)) next = static_cast<std::int64_t>(i - 1);
        after_[i - 1] = next;
      }
    }
  }

  /// The row of the last reading of the strand before `row`, or -1.
  std::int64_t before(const Strand& strand, std::uint32_t number, std::size_t row) const {
    if (row > strand.begin && row >= strand.end) {
      return before_.empty() ? static_cast<std::int64_t>(strand.end) - 1 : last_[number];
    }
    if (before_.empty()) return row == strand.begin ? none : static_cast<std::int64_t>(row) - 1;
    return before_[row];
  }

  /// The row of the first reading of the strand from `row` on, or -1.
  std::int64_t from(const Strand& strand, std::size_t row) const {
    if (row >= strand.end) return none;
    return after_.empty() ? static_cast<std::int64_t>(row) : after_[row];
  }

  bool there(std::size_t row) const { return column_.valid(row); }
  Instant time(std::size_t row) const { return times_[row]; }

 private:
  std::span<const Instant> times_;
  const Column& column_;
  std::vector<std::int64_t> before_, after_;  // empty: every reading is there
  std::vector<std::int64_t> last_;            // of each strand
};

/// Calls visit(row, next, from, until) for each stretch of a bucket in which one reading stands:
/// `next` is the row of the strand's next reading, or -1; from and until are nanoseconds. The
/// strand's last reading stands for `last_stands`, and each for `longest` at most.
template <typename Visit>
void for_each_standing(const Readings& readings, const Strand& strand, const Bucket& bucket,
                       Nanoseconds last_stands, Nanoseconds longest, Visit&& visit) {
  const auto put = [&](std::int64_t row, std::int64_t next) {
    const Wide at = nanoseconds_of(readings.time(static_cast<std::size_t>(row)));
    Wide until = next != none ? Wide(nanoseconds_of(readings.time(static_cast<std::size_t>(next))))
                              : at + last_stands.count();
    until = std::min({until, at + longest.count(), Wide(nanoseconds_of(bucket.stop))});
    const Wide from = std::max<Wide>(at, nanoseconds_of(bucket.start));
    if (until > from) visit(row, next, from, until);
  };
  std::int64_t standing = readings.before(strand, bucket.strand, bucket.begin);
  for (std::size_t i = bucket.begin; i < bucket.end; ++i) {
    if (!readings.there(i)) continue;
    if (standing != none) put(standing, static_cast<std::int64_t>(i));
    standing = static_cast<std::int64_t>(i);
  }
  if (standing == none) return;
  put(standing, readings.from(strand, bucket.end));
}

/// Calls work(i, bucket, its strand) for each bucket, in parallel.
template <typename Work>
void for_each_bucket(const Timeline& timeline, const Buckets& buckets, Work&& work) {
  for_each_bucket(buckets, [&](std::size_t i, const Bucket& bucket) {
    work(i, bucket, timeline.strands()[bucket.strand]);
  });
}

Nanoseconds typical(const Buckets& buckets, const Bucket& bucket) {
  return buckets.typical_steps[bucket.strand].value_or(Nanoseconds(0));
}

/// The value on the line between two readings.
double on_line(std::span<const double> values, const Readings& readings, std::int64_t row,
               std::int64_t next, Wide at) {
  const auto a = static_cast<std::size_t>(row), b = static_cast<std::size_t>(next);
  const Wide from = nanoseconds_of(readings.time(a)), until = nanoseconds_of(readings.time(b));
  if (until == from) return values[b];
  const double share = static_cast<double>(at - from) / static_cast<double>(until - from);
  return share >= 1 ? values[b] : values[a] + (values[b] - values[a]) * share;
}

constexpr Nanoseconds for_ever = Nanoseconds::max();

}  // namespace

StoodValue stood_value(Stat stat) {
  static constexpr auto values = for_each_statistic<StoodValue>([]<typename D>(D) -> StoodValue {
    if constexpr (Merging<D>) {
      if constexpr (std::is_same_v<typename D::State, Stood>) return &D::value;
    }
    return nullptr;
  });
  return values[static_cast<std::size_t>(stat)];
}

ChangeCounted change_counted(Stat stat) {
  static constexpr auto all = for_each_statistic<ChangeCounted>([]<typename D>(D) -> ChangeCounted {
    if constexpr (requires { D::counts(0.0, 0.0); }) return &D::counts;
    return nullptr;
  });
  return all[static_cast<std::size_t>(stat)];
}

std::vector<bool> rows_that_meet(const Column& column, const Condition& condition) {
  using Sign = Condition::Sign;
  const auto holds = [&](const auto& a, const auto& b) {
    switch (condition.sign) {
      case Sign::more:
        return a > b;
      case Sign::at_least:
        return a >= b;
      case Sign::less:
        return a < b;
      case Sign::at_most:
        return a <= b;
      case Sign::equal:
        return a == b;
      case Sign::unequal:
        break;
    }
    return a != b;
  };
  std::vector<bool> rows(column.size());
  double number = 0;
  if (column.is_numeric()) {
    std::from_chars(condition.value.data(), condition.value.data() + condition.value.size(),
                    number);
  }
  for (std::size_t i = 0; i < rows.size(); ++i) {
    if (!column.valid(i)) continue;
    switch (column.type()) {
      case Column::Type::number:
        rows[i] = holds(column.numbers()[i], number);
        break;
      case Column::Type::integer:
        rows[i] =
            holds(static_cast<long double>(column.integers()[i]), static_cast<long double>(number));
        break;
      case Column::Type::boolean:
        rows[i] = holds(column.boolean(i), condition.value == "true");
        break;
      case Column::Type::text:
        rows[i] = holds(column.text(i), condition.value);
        break;
      case Column::Type::time:
        break;
    }
  }
  return rows;
}

std::vector<Stood> stood_in(const Timeline& timeline, const Buckets& buckets, const Column& column,
                            Joining joining) {
  const Column numbers = column.as_numbers();
  const auto values = numbers.numbers();
  const Readings readings(timeline, numbers);
  std::vector<Stood> out(buckets.all.size());
  for_each_bucket(
      timeline, buckets, [&](std::size_t i, const Bucket& bucket, const Strand& strand) {
        thread_local std::vector<double> value, seconds;
        value.clear();
        seconds.clear();
        const bool linear = joining == Joining::linear;
        for_each_standing(readings, strand, bucket,
                          linear ? Nanoseconds(0) : typical(buckets, bucket), for_ever,
                          [&](std::int64_t row, std::int64_t next, Wide from, Wide until) {
                            seconds.push_back(seconds_of(until - from));
                            if (!linear) {
                              value.push_back(values[static_cast<std::size_t>(row)]);
                              return;
                            }
                            const double a = on_line(values, readings, row, next, from);
                            const double b = on_line(values, readings, row, next, until);
                            value.push_back(a + (b - a) / 2);
                          });
        out[i] = {sum_of(seconds).value(), sum_of_products(value, seconds).value()};
      });
  return out;
}

std::vector<Stood> condition_in(const Timeline& timeline, const Buckets& buckets,
                                const Column& column, const Condition& condition) {
  const Readings readings(timeline, column);
  const std::vector<bool> meets = rows_that_meet(column, condition);
  std::vector<Stood> out(buckets.all.size());
  for_each_bucket(timeline, buckets,
                  [&](std::size_t i, const Bucket& bucket, const Strand& strand) {
                    Wide all = 0, met = 0;
                    for_each_standing(readings, strand, bucket, typical(buckets, bucket), for_ever,
                                      [&](std::int64_t row, std::int64_t, Wide from, Wide until) {
                                        all += until - from;
                                        if (meets[static_cast<std::size_t>(row)])
                                          met += until - from;
                                      });
                    out[i] = {seconds_of(all), seconds_of(met)};
                  });
  return out;
}

std::vector<double> coverage_of(const Timeline& timeline, const Buckets& buckets,
                                const Column& column) {
  const Readings readings(timeline, column);
  std::vector<double> shares(buckets.all.size());
  for_each_bucket(
      timeline, buckets, [&](std::size_t i, const Bucket& bucket, const Strand& strand) {
        const Nanoseconds step = typical(buckets, bucket);
        Wide covered = 0;
        for_each_standing(
            readings, strand, bucket, step, step,
            [&](std::int64_t, std::int64_t, Wide from, Wide until) { covered += until - from; });
        const Wide length = Wide(nanoseconds_of(bucket.stop)) - nanoseconds_of(bucket.start);
        shares[i] = length == 0 ? 1 : static_cast<double>(covered) / static_cast<double>(length);
      });
  return shares;
}

std::vector<double> values_at(const Timeline& timeline, const Buckets& buckets,
                              const Column& column, Joining joining,
                              std::span<const Instant> labels) {
  const Column numbers = column.as_numbers();
  const auto values = numbers.numbers();
  const Readings readings(timeline, numbers);
  const auto times = timeline.times();
  std::vector<double> out(buckets.all.size(), std::numeric_limits<double>::quiet_NaN());
  for_each_bucket(
      timeline, buckets, [&](std::size_t i, const Bucket& bucket, const Strand& strand) {
        // The first row after the label.
        const std::size_t after = first_not(strand.begin, strand.end, bucket.begin,
                                            [&](std::size_t r) { return times[r] <= labels[i]; });
        const std::int64_t row = readings.before(strand, bucket.strand, after);
        if (row == none) return;
        const auto at = static_cast<std::size_t>(row);
        if (times[at] == labels[i]) {
          out[i] = values[at];
          return;
        }
        const std::int64_t next = readings.from(strand, after);
        if (joining == Joining::linear) {
          if (next != none)
            out[i] = on_line(values, readings, row, next, nanoseconds_of(labels[i]));
          return;
        }
        const Wide stood = Wide(nanoseconds_of(labels[i])) - nanoseconds_of(times[at]);
        if (next == none && stood >= typical(buckets, bucket).count()) return;
        out[i] = values[at];
      });
  return out;
}

std::vector<std::int64_t> changes_in(const Timeline& timeline, const Buckets& buckets,
                                     const Column& column, ChangeCounted counts) {
  const Column numbers = column.as_numbers();
  const auto values = numbers.numbers();
  const Readings readings(timeline, numbers);
  std::vector<std::int64_t> out(buckets.all.size());
  for_each_bucket(timeline, buckets,
                  [&](std::size_t i, const Bucket& bucket, const Strand& strand) {
                    std::int64_t before = readings.before(strand, bucket.strand, bucket.begin);
                    for (std::size_t row = bucket.begin; row < bucket.end; ++row) {
                      if (!numbers.valid(row)) continue;
                      if (before != none) {
                        out[i] += counts(values[static_cast<std::size_t>(before)], values[row]);
                      }
                      before = static_cast<std::int64_t>(row);
                    }
                  });
  return out;
}

}  // namespace zerobeat::detail
