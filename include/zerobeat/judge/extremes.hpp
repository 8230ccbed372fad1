/// The least and the greatest readings of a column and those next to them: what a value that stands
/// for missing is known by.
///
/// Threads may read these at the same time; references live as long as what gave them.

#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

class Extremes {
 public:
  /// Looks at readings of ascending rows from `row` on, none missing.
  void add(std::span<const double> readings, std::int64_t row);
  /// What comes after, its rows counted on from `rows`.
  void append(const Extremes& next, std::int64_t rows);

  /// A value that many readings are, far from all others: -999 among levels of some metres.
  struct Sentinel {
    double value = 0;
    std::int64_t count = 0;
    std::int64_t first_row = 0;
    double others_least = 0, others_greatest = 0;
  };
  [[nodiscard]] std::optional<Sentinel> sentinel() const;

  /// There have to be some.
  [[nodiscard]] double least() const { return low_.value; }
  [[nodiscard]] double greatest() const { return -high_.value; }

 private:
  /// One end of the readings; on the upper one everything is negative.
  struct End {
    double value = 0;
    std::int64_t count = 0;  ///< of readings that are it; 0: there are none
    std::int64_t first_row = 0;
    std::optional<double> next{};  ///< the nearest other reading

    void take(const End& other);
  };
  static End end_of(std::span<const double> readings, std::int64_t row, double least, double sign);
  [[nodiscard]] std::optional<Sentinel> sentinel_at(const End& end, const End& other_end,
                                                    double sign) const;

  End low_{}, high_{};
};

}  // namespace v1
}  // namespace zerobeat
