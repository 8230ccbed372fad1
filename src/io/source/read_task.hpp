/// What a reader is told by who runs it, besides what its user asks for.

#pragma once

#include <cstddef>
#include <functional>
#include <optional>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/judge/records.hpp>
#include <zerobeat/table/reach.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct ReadTask : ReadOptions {
  /// Keep only these columns in memory (all when unset); the others are judged all the same.
  std::optional<std::vector<std::string>> decode{};
  /// Judge the columns while they are read and keep none: Records::seen. For a look without steps.
  bool judge_only = false;
  /// Of the records' places keep the lines alone: nobody will ask where in the text one stands.
  bool lines_only = false;
  /// Where day and month can't be told apart, read on all the same and say so in a finding.
  bool go_on_ambiguous = false;
  /// Read in chunks of about so many bytes; 0: as is best. What is read does not depend on it.
  std::size_t chunk_bytes = 0;
  /// Where a source is read in stretches, hand so many rows on at once; 0: as is best. What comes
  /// of it does not depend on it.
  std::size_t stretch_rows = 0;
  /// Read no further than about so many bytes; 0: all. For a look at a source's columns.
  std::size_t head_bytes = 0;
  /// So many faults are kept as such, the first ones; all are counted. Whoever writes no rejects
  /// needs no more than are shown.
  std::size_t most_faults = static_cast<std::size_t>(-1);
  /// Rows of other times make no difference: where a source can tell them without reading, they are
  /// passed over, and count as kept.
  std::optional<TimeRange> wanted_time{};
  /// Told how many bytes of how many were read, after each chunk; what it throws ends the reading.
  /// From one thread at a time.
  std::function<void(std::size_t read, std::size_t total)> on_read{};

  ReadTask() = default;
  ReadTask(ReadOptions options) : ReadOptions(std::move(options)) {}  // NOLINT: meant to convert
};

/// As the functions of those names read for a user.
Records read_records(const Source& source, const ReadTask& task);
Records read_text(std::string text, const ReadTask& task, const std::string& name = "text");

/// Takes records as they are read: those since the last time, behind those that were held back.
/// Returns for each strand, in order of first appearance among these records, from which time on
/// its records are held back; unset: the source must be read as a whole.
using TakeRecords =
    std::function<std::optional<std::vector<Instant>>(const Records& records, bool is_last)>;

/// Reads a source in stretches. `begin` is called for each pass over the source, which may be
/// passed over again when what was believed of its columns turns out wrong. Returns what
/// read_records() does, without the records; unset when they did not go this way: a source that is
/// small, whose local times the order of the records decides about, or of which `take` said so.
std::optional<Records> read_in_stretches(const Source& source, const ReadTask& task,
                                         const std::function<TakeRecords()>& begin);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
