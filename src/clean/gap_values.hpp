/// What stands in gaps: values for missing readings, by each of fill's methods.

#pragma once

#include <cmath>
#include <limits>
#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/clean/fill.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

inline constexpr double no_filling = std::numeric_limits<double>::quiet_NaN();

/// One strand of a column of numbers. Row i is there when numbers.valid(strand.begin + i).
struct GapStrand {
  const Timeline* timeline = nullptr;
  const Column* numbers = nullptr;
  Strand strand{};

  std::size_t size() const { return strand.size(); }
  bool valid(std::size_t i) const { return numbers->valid(strand.begin + i); }
  double value(std::size_t i) const { return numbers->numbers()[strand.begin + i]; }
  Instant time(std::size_t i) const { return timeline->times()[strand.begin + i]; }
  std::span<const Instant> times() const {
    return timeline->times().subspan(strand.begin, strand.size());
  }
};

/// What a method says of a strand.
struct GapValues {
  std::vector<double> values{};  ///< of each row; no_filling where it says nothing, or a reading is
  std::vector<double> held_before{};  ///< under seasonal: what to hold before the first reading
  std::vector<double> held_after{};   ///< and after the last
  std::string note{};                 ///< why it says nothing of some
};

/// Values by curves, windows, seasons or another column (`like`, else null): all methods but lines
/// and those that take a reading as it is. What lies before a strand's first reading and after its
/// last has a value only under mean, median, constant and like.
GapValues gap_values(const GapStrand& strand, const Fill& options, const Fill::Method& how,
                     const Column* like);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
