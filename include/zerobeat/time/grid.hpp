/// Grids: regular bucket edges over the time line, by the clock or by the calendar.
///
/// Values: threads may share them, and what they return is a copy.

#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/calendar.hpp>
#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/period.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

enum class WeekStart { mon, tue, wed, thu, fri, sat, sun };

[[nodiscard]] constexpr auto enum_words(WeekStart) {
  return std::array<std::string_view, 7>{"mon", "tue", "wed", "thu", "fri", "sat", "sun"};
}

/// Opening hours by the local clock: from one, until the other; past midnight when that is the
/// earlier one.
struct Hours {
  std::chrono::minutes from{0};
  std::chrono::minutes until{24 * 60};

  friend bool operator==(const Hours&, const Hours&) = default;
};

/// Reads "09:00-17:30". Throws Error when it is no such text or the two are one.
void from_text(std::string_view text, Hours& out);
[[nodiscard]] std::string to_text(const Hours& hours);

/// A stretch of time, `[start, stop)`.
struct TimeSpan {
  Instant start{}, stop{};

  friend bool operator==(const TimeSpan&, const TimeSpan&) = default;
};

/// What a grid is made of besides its period.
struct GridOptions {
  Zone zone{};
  std::optional<Instant> anchor{};  ///< an edge of the grid
  WeekStart week_starts = WeekStart::mon;
  Calendar calendar{};           ///< periods of days count its working days
  std::optional<Hours> hours{};  ///< sessions: buckets lie within these hours
};

/// Edges numbered from the anchor, both ways: bucket n is [edge(n), end(n)).
///
/// A grid of a fixed period counts from 1970-01-01T00:00Z unless anchored. A grid of a calendar
/// period (days, weeks, months) has its edges at local midnight of its first day, or, anchored,
/// at the anchor's local clock and day; an edge that the zone skips is the first instant after,
/// one that it repeats the earlier. With a calendar a period of days counts working days, and a
/// day off belongs to the bucket of the working day before it. With hours the buckets lie within
/// the session of each (working) day: the whole session for a period of one day, else periods
/// that start again at each opening, the last one cut at the close; between sessions there is no
/// bucket. Numbers may belong to buckets that start where they end: nothing is in those. Edges
/// outside the range of Instant are its ends.
class Grid {
 public:
  /// Throws Error when the period is zero or mixes calendar and fixed parts, when it is not one of
  /// days and there is a calendar (without hours), or with hours is neither fixed nor one day.
  explicit Grid(const Period& period, const GridOptions& options = {});

  [[nodiscard]] const Period& period() const { return period_; }

  /// The start of bucket `n`. Cost: constant; for a calendar grid a look-up in the zone.
  [[nodiscard]] Instant edge(std::int64_t n) const;

  /// The end of bucket `n`: the start of the next, or, in sessions, the close.
  [[nodiscard]] Instant end(std::int64_t n) const {
    return options_.hours ? session_bucket(n).stop : edge(n + 1);
  }

  /// Bucket `n`.
  [[nodiscard]] TimeSpan bucket(std::int64_t n) const { return {edge(n), end(n)}; }

  /// The number of the bucket that holds `t`; between sessions the last bucket before it.
  [[nodiscard]] std::int64_t index_of(Instant t) const;

  /// Whether a bucket holds `t`. Always, but for sessions.
  [[nodiscard]] bool holds(Instant t) const { return !options_.hours || t < end(index_of(t)); }

  /// True when `bucket(n).stop == edge(n + 1)` for every n.
  [[nodiscard]] bool is_gapless() const { return !options_.hours; }

  /// The buckets that overlap a stretch, in order: for (TimeSpan day : grid.buckets({from,
  /// until})).
  class Buckets;
  Buckets buckets(const TimeSpan& within) const;

 private:
  [[nodiscard]] TimeSpan session_bucket(std::int64_t n) const;
  [[nodiscard]] TimeSpan session(std::int64_t day_number) const;
  Instant edge_at(std::chrono::local_days day, std::chrono::local_seconds::duration clock,
                  Nanoseconds fraction) const;

  Period period_{};
  GridOptions options_{};
  Instant anchor_{};                              // fixed grids
  std::chrono::local_days first_day_{};           // calendar grids and sessions
  std::chrono::local_seconds::duration clock_{};  // calendar grids: local clock of each edge
  Nanoseconds fraction_{};
  std::int64_t each_day_ = 1;  // sessions: numbers of buckets for each day
};

/// The buckets of a grid over a stretch, as a range.
class Grid::Buckets {
 public:
  class Iterator {
   public:
    using value_type = TimeSpan;
    using difference_type = std::int64_t;

    Iterator() = default;
    Iterator(const Grid* grid, std::int64_t n, std::int64_t last)
        : grid_(grid), n_(n), last_(last) {
      pass_empty();
    }
    TimeSpan operator*() const { return grid_->bucket(n_); }
    std::int64_t number() const { return n_; }
    Iterator& operator++() {
      ++n_;
      pass_empty();
      return *this;
    }
    Iterator operator++(int) {
      Iterator before = *this;
      ++*this;
      return before;
    }
    friend bool operator==(const Iterator& a, const Iterator& b) { return a.n_ == b.n_; }

   private:
    void pass_empty() {
      while (n_ < last_ && grid_->edge(n_) == grid_->end(n_)) ++n_;
    }

    const Grid* grid_ = nullptr;
    std::int64_t n_ = 0, last_ = 0;
  };

  Buckets(const Grid& grid, std::int64_t first, std::int64_t last)
      : grid_(grid), first_(first), last_(last) {}
  Iterator begin() const { return {&grid_, first_, last_}; }
  Iterator end() const { return {&grid_, last_, last_}; }

 private:
  Grid grid_;
  std::int64_t first_, last_;
};

/// Where the buckets of two grids meet, in order of time: every stretch within `within` that lies
/// in one bucket of each, and the numbers of the two.
struct Overlap {
  TimeSpan span{};
  std::int64_t a = 0, b = 0;

  friend bool operator==(const Overlap&, const Overlap&) = default;
};

[[nodiscard]] std::vector<Overlap> overlaps(const Grid& a, const Grid& b, const TimeSpan& within);

}  // namespace v1
}  // namespace zerobeat
