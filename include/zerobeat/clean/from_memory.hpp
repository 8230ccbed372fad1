/// Timelines out of a program's own columns.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// A column and its name: {"level_m", std::move(levels)}.
struct NamedColumn {
  std::string name{};
  Column column{};
};

/// What a timeline from memory is besides its columns.
struct MemoryOptions {
  std::string name = "memory";     ///< of the timeline, for names that clash
  std::string time_name = "time";  ///< of the column of times
  std::string key{};               ///< the column of texts that tells series apart; empty: none
  Zone zone{};                     ///< calendar steps follow it
  Axis axis{};                     ///< what the times are
};

/// A timeline of these times and columns of readings. Rows in any order: they are sorted by key and
/// time, those of one time in the order given. Not a number is missing.
///
/// What is moved in or borrowed (borrow()) is not copied, unless it has to be sorted. The account
/// says that all rows were kept.
/// Throws Error of kind usage when lengths differ, two names are alike, times are no instants or
/// some are missing, or the key's column is not there, is no text, or lacks some.
/// Cost: one pass to see that the times ascend; else that of settle().
[[nodiscard]] Timeline timeline(Column times, std::vector<NamedColumn> columns,
                                const MemoryOptions& options = {});

/// The same of a table, one of whose columns are the times: options.time_name.
[[nodiscard]] Timeline timeline(const Table& table, const MemoryOptions& options = {});

}  // namespace v1
}  // namespace zerobeat
