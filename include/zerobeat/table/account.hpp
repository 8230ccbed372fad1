/// The account: what became of every record, from the first byte to the last.
///
/// Of a source: records read = kept + rejected + merged, and why. Of each step:
/// rows in, rows out, readings filled and clipped. A timeline carries the
/// accounts of all the sources that it came from.

#pragma once

#include <fmt/format.h>

#include <array>
#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace zerobeat {

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

constexpr auto enum_words(Reason) {
  return std::array<std::string_view, 13>{
      "missing-time",      "unreadable-time", "impossible-time",   "repeated-time", "skipped-time",
      "out-of-range-time", "missing-key",     "duplicate-time",    "field-count",   "broken-quote",
      "broken-record",     "bad-encoding",    "unreadable-reading"};
}

constexpr std::string_view word(Reason reason) {
  return enum_words(reason)[static_cast<std::size_t>(reason)];
}

inline constexpr std::size_t reasons = enum_words(Reason{}).size();

/// One rejected record or unreadable reading, and where it stands.
struct Fault {
  std::uint64_t line = 0;    ///< of the record; lines count from 1
  std::uint64_t byte = 0;    ///< of the record, or of the cell of an unreadable reading
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
};

/// The account of one source.
struct SourceAccount {
  std::string source{};  ///< the file's name, or - for standard input
  std::int64_t records = 0;
  std::int64_t kept = 0;
  std::int64_t rejected = 0;
  std::int64_t merged = 0;
  std::array<std::int64_t, reasons> by_reason{};  ///< rejected records; unreadable readings last
  std::int64_t records_with_unreadable = 0;       ///< kept records with an unreadable reading
  std::vector<std::string> columns{};             ///< names that faults refer to
  std::vector<Fault> faults{};                    ///< in order of line and byte
  std::shared_ptr<const void> owner;              ///< keeps `text` alive
  std::string_view text;                          ///< the whole input, for the raw text of faults
  /// The length of the raw record at a byte, its line's end left out.
  std::function<std::uint64_t(std::uint64_t byte)> record_length;

  std::int64_t unreadable_readings() const {
    return by_reason[static_cast<std::size_t>(Reason::unreadable_reading)];
  }
  /// Records rejected, or kept with an unreadable reading.
  std::int64_t at_fault() const { return rejected + records_with_unreadable; }
  /// The raw text of a fault, what is not UTF-8 shown as U+FFFD.
  std::string text_of(const Fault& fault) const;
  /// The column of a fault, or empty.
  std::string_view column_of(const Fault& fault) const;
};

/// What one step did.
struct StepAccount {
  std::string step{};  ///< its name
  std::string what{};  ///< its options, as text
  std::int64_t rows_in = 0;
  std::int64_t rows_out = 0;
  std::int64_t cells_filled = 0;
  std::int64_t cells_clipped = 0;
  std::vector<std::string> notes{};  ///< what was left out, or is not as asked
  double seconds = 0;
};

/// The whole ledger of a Records or a Timeline. A value; copies share the sources' accounts.
struct Account {
  std::vector<std::shared_ptr<const SourceAccount>> sources{};
  std::vector<StepAccount> steps{};

  std::int64_t records() const { return sum(&SourceAccount::records); }
  std::int64_t kept() const { return sum(&SourceAccount::kept); }
  std::int64_t rejected() const { return sum(&SourceAccount::rejected); }
  std::int64_t merged() const { return sum(&SourceAccount::merged); }
  /// What the last step did. There is one in every timeline.
  const StepAccount& last() const { return steps.back(); }

 private:
  std::int64_t sum(std::int64_t SourceAccount::*count) const {
    std::int64_t total = 0;
    for (const auto& source : sources) total += (*source).*count;
    return total;
  }
};

/// "tide_gauge.csv: 2880 records = 2871 kept + 9 rejected + 0 merged", the reasons below, and a
/// line for each step.
std::string to_text(const Account& account);

/// `text` with what is not UTF-8 replaced by U+FFFD.
std::string printable(std::string_view text);

/// The length of the UTF-8 character that `text` starts with, or 0 when it starts with none.
std::size_t utf8_length(std::string_view text);

/// 21600 seconds as "6 h", for people, who do not read on past a few digits.
std::string length_text(double seconds);

/// 12345678 as "12,345,678".
std::string grouped(std::int64_t value);

}  // namespace zerobeat

template <>
struct fmt::formatter<zerobeat::Account> : fmt::formatter<std::string> {
  auto format(const zerobeat::Account& account, format_context& context) const {
    return fmt::formatter<std::string>::format(zerobeat::to_text(account), context);
  }
};
