/// Statistics of a program's own that have names while a plan is read.

#pragma once

#include <map>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/take/take.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

using NamedStatistics = std::map<std::string, OwnStatistic>;

/// While it is alive, takes that this thread reads may be of these statistics, too.
class StatisticsInScope {
 public:
  /// Throws Error of kind usage when a name is a statistic's of the library, or none that could be
  /// written as one. The statistics must outlive this.
  explicit StatisticsInScope(const NamedStatistics& statistics);
  ~StatisticsInScope();
  StatisticsInScope(const StatisticsInScope&) = delete;
  StatisticsInScope& operator=(const StatisticsInScope&) = delete;

 private:
  const NamedStatistics* before_;
};

/// The statistics in scope; null when there are none.
const NamedStatistics* named_statistics();

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
