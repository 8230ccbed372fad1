/// The account of a source: what became of every record, from the first byte to the last.
///
/// Records read = kept + rejected + merged, and why. Bad data is counted here and never thrown.
///
/// Threads may read these at the same time; references live as long as what gave them.

#pragma once

#include <array>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/account.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Why a record was rejected, or a reading could not be read.
enum class Reason : std::uint8_t {
  missing_time,
  unreadable_time,
  impossible_time,
  repeated_time,
  skipped_time,
  out_of_range_time,
  missing_key,
  duplicate_time,
  field_count,
  broken_quote,
  broken_record,
  bad_encoding,
  unreadable_reading,  ///< the record stays, the reading is missing
};

[[nodiscard]] constexpr auto enum_words(Reason) {
  return std::array<std::string_view, 13>{
      "missing-time",      "unreadable-time", "impossible-time",   "repeated-time", "skipped-time",
      "out-of-range-time", "missing-key",     "duplicate-time",    "field-count",   "broken-quote",
      "broken-record",     "bad-encoding",    "unreadable-reading"};
}

[[nodiscard]] constexpr std::string_view word(Reason reason) {
  return enum_words(reason)[static_cast<std::size_t>(reason)];
}

inline constexpr std::size_t reasons = enum_words(Reason{}).size();

/// One rejected record or unreadable reading, and where it stands.
struct Fault {
  std::uint64_t line = 0;    ///< of the record; lines count from 1
  std::uint64_t byte = 0;    ///< place of the record, or of the cell of an unreadable reading: see
                             ///< SourceAccount::part_of()
  std::uint64_t length = 0;  ///< of its raw text
  std::int32_t column = -1;  ///< a place in SourceAccount::columns; -1 when it is the whole record
  Reason reason = Reason::unreadable_time;

  friend bool operator==(const Fault&, const Fault&) = default;
};

/// One thing noticed about the data.
struct Finding {
  std::string kind{};
  std::int64_t count = 0;
  std::uint64_t first_line = 0;  ///< 0: not of one line
  std::string message{};         ///< what it is and what to do about it
  std::string file{};            ///< that the line is of, when the source is several
};

/// Cells of a numeric column that hold a word for missing, like NA.
struct MissingWordCells {
  std::string column{};
  std::int64_t count = 0;
  std::uint64_t first_line = 0;  ///< 0: it is not known
  std::string word{};            ///< the first one
};

/// One of the files, members or results that a source consists of. Most sources have one.
struct SourcePart {
  std::string name{};                 ///< as the user would name it
  std::shared_ptr<const void> owner;  ///< keeps `text` alive
  std::string_view text;              ///< all of it, for the raw text of faults
  /// The length of the raw record at a byte of `text`, its line's end left out.
  std::function<std::uint64_t(std::uint64_t byte)> record_length;
  /// Of a source without text, whose places are rows: a row's number from 0 for a byte. The raw
  /// text of a row, or of its cell in one of SourceAccount::columns.
  std::function<std::string(std::uint64_t row, std::int32_t column)> row_text;
  /// Where a byte of `text` stood in the file, when that was in another encoding.
  std::function<std::uint64_t(std::uint64_t byte)> file_byte;
  std::int64_t records = 0;
  std::int64_t kept = 0;

  [[nodiscard]] bool has_rows() const { return static_cast<bool>(row_text); }
};

/// Places in the account are bytes of the source; each of its parts begins at a multiple of this.
inline constexpr std::uint64_t part_bytes = std::uint64_t{1} << 44;

/// The account of one source.
struct SourceAccount {
  std::string source{};  ///< the file's name, or - for standard input
  std::string name{};    ///< what a plan calls it
  double seconds = 0;    ///< that reading it took
  std::int64_t records = 0;
  std::int64_t kept = 0;
  std::int64_t rejected = 0;
  std::int64_t merged = 0;
  std::array<std::int64_t, reasons> by_reason{};  ///< rejected records; unreadable readings last
  std::int64_t records_with_unreadable = 0;       ///< kept records with an unreadable reading
  std::vector<std::string> columns{};             ///< names that faults refer to
  std::vector<Fault> faults{};                    ///< in order of line and byte
  std::vector<SourcePart> parts{};                ///< at least one
  std::vector<std::string> notes{};               ///< what the source says of itself
  std::vector<MissingWordCells> missing_words{};  ///< by column, of those that have some
  bool is_pattern = false;                        ///< several files may be meant: rejects name them

  [[nodiscard]] std::int64_t unreadable_readings() const {
    return by_reason[static_cast<std::size_t>(Reason::unreadable_reading)];
  }
  /// Records rejected, or kept with an unreadable reading.
  [[nodiscard]] std::int64_t at_fault() const { return rejected + records_with_unreadable; }
  /// The part that a place lies in, and the byte (or row) within it. Throws Error of kind usage
  /// when there is no such part.
  [[nodiscard]] const SourcePart& part_of(std::uint64_t place) const;
  [[nodiscard]] static std::uint64_t byte_within(std::uint64_t place) { return place % part_bytes; }
  /// The raw text at a place; empty when the source has no text.
  [[nodiscard]] std::string_view raw(std::uint64_t place, std::uint64_t length) const;
  /// The length of the raw record at a place; 0 when it is a row.
  [[nodiscard]] std::uint64_t record_length(std::uint64_t place) const;
  /// Where a fault stands in its file, from 0; none when it is a row.
  [[nodiscard]] std::optional<std::uint64_t> file_byte(const Fault& fault) const;
  /// The raw text of a fault, what is not UTF-8 shown as U+FFFD.
  [[nodiscard]] std::string text_of(const Fault& fault) const;
  /// The column of a fault, or empty.
  [[nodiscard]] std::string_view column_of(const Fault& fault) const;
};

}  // namespace v1
}  // namespace zerobeat
