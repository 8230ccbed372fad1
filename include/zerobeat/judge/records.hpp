/// Records: what a reader returns. Typed columns in order of arrival, each
/// record with its place in the source, and the account of those that were not kept.

#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/seen.hpp>
#include <zerobeat/judge/source_account.hpp>
#include <zerobeat/table/axis.hpp>
#include <zerobeat/table/table.hpp>
#include <zerobeat/time/timestamp.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Where each kept record stands in its source: a line (from 1), a byte (from 0), and its length.
/// Kept small: runs, and four bytes a record of text.
class Places {
 public:
  /// Adds the records of one stretch of the source: their bytes after `base`, and lines as runs
  /// of (first record of the run within the stretch, line of that record).
  struct Run {
    std::uint64_t record = 0;
    std::uint64_t line = 0;
  };
  void add(std::uint64_t base, std::span<const std::uint32_t> offsets, std::span<const Run> runs);
  /// Adds `count` records of a stretch whose bytes are numbers of rows: one on for each line after
  /// `line`, which is that of `base`.
  void add_rows(std::uint64_t base, std::uint64_t line, std::size_t count,
                std::span<const Run> runs);

  /// Adds `count` records of a stretch of text of which the lines alone are kept: byte() of each is
  /// `base`, which is where `line` begins.
  void add_lines(std::uint64_t base, std::uint64_t line, std::size_t count,
                 std::span<const Run> runs);

  void reserve(std::size_t records) { offsets_.reserve(records); }
  /// The places of some of the records, named in ascending order.
  [[nodiscard]] Places kept(std::span<const std::int64_t> records) const;

  [[nodiscard]] std::size_t size() const { return size_; }
  /// Both throw Error of kind usage when there is no such record.
  [[nodiscard]] std::uint64_t line(std::size_t record) const;
  [[nodiscard]] std::uint64_t byte(std::size_t record) const;

  /// A line of the source, and the byte where it begins.
  struct LineStart {
    std::uint64_t line = 0;
    std::uint64_t byte = 0;

    friend bool operator==(const LineStart&, const LineStart&) = default;
  };
  /// The nearest start of a line that is known, at or before a record's: its own, but where the
  /// lines alone are kept.
  [[nodiscard]] LineStart known_start(std::size_t record) const;

 private:
  struct Base {
    std::uint64_t record = 0;
    std::uint64_t byte = 0;
    std::uint64_t offset = 0;  ///< where in offsets_ the bytes of its records are, if they are kept
    std::uint64_t line = 0;    ///< of rows and where lines alone are kept: that of `byte`; else 0

    bool is_of_rows() const;
  };
  const Base& base_of(std::size_t record) const;
  void check(std::size_t record) const;
  void add_runs(std::span<const Run> runs, std::size_t count);

  std::size_t size_ = 0;
  Buffer<std::uint32_t> offsets_;
  std::vector<Base> bases_{};
  std::vector<Run> runs_{};
};

/// How a source's times were read, for reports.
struct TimeColumn {
  std::string name{};    ///< of the column, or DAY+CLOCK
  std::string format{};  ///< as found or told
  std::string also{};    ///< the second format, when the column mixes two
  Zone zone{};
  Axis axis{};                            ///< instants, or numbers of a unit since a zero
  std::int32_t fault_column = -1;         ///< its place in SourceAccount::columns
  std::optional<DateOrder> date_order{};  ///< as told, for a start that stamp() reads
  Repeated repeated = Repeated::reject;   ///< what became of times that happen twice
};

/// A line before the header that says something of the capture: `key: value`, `key = value`, or
/// cells of which the first is the key.
struct PreambleLine {
  std::uint64_t line = 0;
  std::string key{};
  std::string value{};  ///< all that follows
};

/// Records in order of arrival. A value; copies share everything, and threads may read one at the
/// same time. Those that a program puts together itself are made whole by RecordsBuilder; settle()
/// and judge() refuse others.
struct Records {
  std::string name{};  ///< the file's stem, for names that clash
  TimeColumn time;
  std::string key_name{};        ///< empty when there is no key
  Column times;                  ///< none missing
  std::optional<Column> keys{};  ///< text; none missing
  Table values;
  std::shared_ptr<const Places> places;
  std::shared_ptr<const SourceAccount> source;
  std::vector<Finding> findings{};  ///< what reading noticed
  /// What stood before the header of untimed records, for stamp(); their times are how many
  /// records, kept or not, came before each, as nanoseconds.
  std::vector<PreambleLine> preamble{};
  bool untimed = false;
  std::vector<ColumnSeen> seen{};  ///< the columns, when they were judged while read, not kept

  [[nodiscard]] std::size_t size() const { return times.size(); }
  [[nodiscard]] Account account() const { return {{source}, {}}; }
};

/// Moves kept records, named by their rows, to the rejected of `account`, and their unreadable
/// readings out of it. `time_column` is a place in SourceAccount::columns.
void reject_in_account(SourceAccount& account, const Places& places,
                       const std::map<std::int64_t, Reason>& rejected, std::int32_t time_column);

}  // namespace v1
}  // namespace zerobeat
