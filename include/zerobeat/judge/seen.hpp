/// What was seen of a column while it was read: its range, what is missing, and how long it kept
/// saying the same.
///
/// Threads may read these at the same time; references live as long as what gave them.

#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/extremes.hpp>
#include <zerobeat/table/column.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Runs of equal readings, one after the other; missing readings are passed over. Parts that were
/// looked at side by side are put together in order.
class ReadingRuns {
 public:
  /// Runs shorter than this are never too long.
  static constexpr std::int64_t shortest_kept = 7;

  /// The next reading, and its row.
  void add(double value, std::int64_t row) {
    ++readings_;
    if (open_.length > 0 && value == value_) {
      ++open_.length;
      return;
    }
    close();
    value_ = value;
    open_ = {row, 1};
    if (readings_ == 1) head_value_ = value;
  }
  /// Readings of ascending rows from `row` on, none missing.
  void add(std::span<const double> values, std::int64_t row);

  /// What comes after, its rows counted on from `rows`.
  void append(const ReadingRuns& next, std::int64_t rows);

  /// Readings in runs so long that chance does not explain them: more than six, and fifteen times
  /// what a run has on average besides. None when all readings are the same.
  struct Stuck {
    std::int64_t runs = 0;
    std::int64_t readings = 0;
    std::int64_t first_row = 0;
    std::int64_t longest = 0;  ///< readings in the longest
  };
  Stuck stuck() const;

 private:
  struct Run {
    std::int64_t row = 0;
    std::int64_t length = 0;
  };
  void close() {
    if (open_.length == 0) return;
    ++runs_;
    if (runs_ == 1) head_ = open_;
    if (open_.length >= shortest_kept) long_runs_.push_back(open_);
  }

  std::int64_t readings_ = 0;
  std::int64_t runs_ = 0;  // closed ones
  std::vector<Run> long_runs_{};
  Run head_{};  // the first, once closed
  Run open_{};
  double value_ = 0;  // of the open run
  double head_value_ = 0;
};

/// Runs of missing readings. Parts that were looked at side by side are put together in order.
class MissingRuns {
 public:
  struct Run {
    std::int64_t row = 0;
    std::int64_t length = 0;
  };

  /// The next missing reading; rows ascend.
  void add(std::int64_t row) {
    if (!all_.empty() && all_.back().row + all_.back().length == row) {
      ++all_.back().length;
      return;
    }
    all_.push_back({row, 1});
  }
  /// What comes after, its rows counted on from `rows`.
  void append(const MissingRuns& next, std::int64_t rows);
  /// In order.
  [[nodiscard]] std::span<const Run> all() const { return all_; }

 private:
  std::vector<Run> all_{};
};

/// A value column, as far as it was looked at.
struct ColumnSeen {
  std::string name{};
  Column::Type type = Column::Type::number;
  std::int64_t missing = 0;
  std::optional<double> min{}, max{};                    ///< of a column of numbers
  std::optional<std::int64_t> min_whole{}, max_whole{};  ///< of a column of integers
  ReadingRuns runs{};                                    ///< of numeric columns
  Extremes extremes{};                                   ///< of them, too
  MissingRuns missing_runs{};                            ///< of those that were not kept

  /// Looks at the first readings of a numeric column, those of `missing_rows`, ascending, left
  /// out.
  void see(std::span<const double> readings, std::span<const std::uint32_t> missing_rows);
  void see(std::span<const std::int64_t> readings, std::span<const std::uint32_t> missing_rows);

  /// What comes after, its rows counted on from `rows`.
  void append(const ColumnSeen& next, std::int64_t rows);

  /// The range of integers as one of numbers, where a fraction turned up elsewhere.
  void make_numbers();
};

}  // namespace v1
}  // namespace zerobeat
