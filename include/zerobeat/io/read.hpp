/// Reading records: delimited text, from files and standard input.
///
/// A reader judges every record and says what became of it: kept, or rejected
/// for a reason, with its line and byte. It throws only when the input can't be
/// read at all.
///
/// Threads may call these at the same time, each with outputs of its own.

#pragma once

#include <array>
#include <memory>
#include <optional>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/judge/records.hpp>
#include <zerobeat/time/moment.hpp>
#include <zerobeat/time/timestamp.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

class Source;

enum class InputFormat { automatic, csv, tsv, jsonl, arrow, parquet, sqlite, postgresql, netcdf };
[[nodiscard]] constexpr auto enum_words(InputFormat) {
  return std::array<std::string_view, 9>{"auto",    "csv",    "tsv",        "jsonl", "arrow",
                                         "parquet", "sqlite", "postgresql", "netcdf"};
}

/// The name of a format, as WriteOptions::to has one: "csv".
struct FormatName {
  InputFormat format = InputFormat::automatic;

  FormatName() = default;
  FormatName(InputFormat held) : format(held) {}  // NOLINT: meant to convert
  /// Throws Error of kind usage when there is no such format.
  FormatName(const char* name);                    // NOLINT
  FormatName(const std::string& name);             // NOLINT
  operator InputFormat() const { return format; }  // NOLINT
};
void from_text(std::string_view text, FormatName& out);
[[nodiscard]] std::string to_text(const FormatName& name);

/// What stands between cells: a character, or runs of spaces and tabs.
struct Delimiter {
  char mark = ',';
  bool runs = false;

  Delimiter() = default;
  Delimiter(char character) : mark(character) {}  // NOLINT: meant to convert

  friend bool operator==(const Delimiter&, const Delimiter&) = default;
};
/// Reads one character, `tab`, or `space` for runs.
void from_text(std::string_view text, Delimiter& out);
[[nodiscard]] std::string to_text(const Delimiter& delimiter);

enum class DecimalMark { point, comma };
[[nodiscard]] constexpr auto enum_words(DecimalMark) {
  return std::array<std::string_view, 2>{"point", "comma"};
}

struct ReadOptions {
  FormatName from{};                     ///< auto: by the file's ending, else csv
  std::optional<Delimiter> delimiter{};  ///< unset: found in the first lines
  bool no_header = false;                ///< columns are c1, c2 …
  std::int64_t skip_lines = 0;           ///< before the header
  std::optional<char> comment{};         ///< lines that start with it are passed over
  DecimalMark decimal = DecimalMark::point;
  std::string thousands{};  ///< a mark between groups of digits; empty: none
  std::string strip{};      ///< characters around numbers that do not count
  std::string encoding{};   ///< utf-8, or one that iconv knows; empty: utf-8, or as a mark says;
                            ///< of several, with commas, each file has the first that fits it
  std::string time{};       ///< the time column, or DAY+CLOCK; empty: the first that reads as times
  TimeFormat time_format{};               ///< automatic: found from the data
  std::optional<DateOrder> date_order{};  ///< unset: found from the data
  Zone zone{};                            ///< of local times; calendar steps follow it too
  Repeated repeated = Repeated::reject;
  Skipped skipped = Skipped::reject;
  std::optional<Moment> not_before{};  ///< inclusive
  std::optional<Moment> not_after{};   ///< inclusive
  std::string key{};                   ///< one strand per value; empty: one strand
  std::vector<std::string> columns{};  ///< read only these; empty: all
  std::vector<std::string> text{};     ///< columns that are text, whatever they hold
  std::vector<std::string> number{};   ///< columns that are numbers, whatever they hold
  std::vector<std::string> missing{};  ///< further words for missing
  std::string member{};                ///< of an archive: a name or pattern; empty: its only file
  std::string table{};                 ///< of a database; empty: the query, or its only table
  std::string query{};                 ///< of a database: SQL
  std::string variable{};              ///< of a grid; empty: its only one
  std::string near{};                  ///< of a grid: LAT,LON of the place
  std::string slice{};                 ///< of a grid: DIM=INDEX,… of other dimensions
  bool untimed = false;                ///< no record has a time; stamp() gives them theirs
};

template <typename Visitor, OptionsOf<ReadOptions> O>
void fields(Visitor&& visit, O& o) {
  visit("from", o.from, "FORMAT",
        "csv, tsv, jsonl, arrow, parquet, sqlite, postgresql or netcdf; auto: by what the file "
        "begins "
        "with, then by its ending, else csv");
  visit("delimiter", o.delimiter, "C",
        "what stands between cells; space: runs of spaces and tabs; unset: found in the first "
        "lines");
  visit("no-header", o.no_header, "", "the first line is a record; columns are c1, c2 and so on");
  visit("skip-lines", o.skip_lines, "N", "lines to pass over before the header");
  visit("comment", o.comment, "C", "lines that start with it are passed over");
  visit("decimal", o.decimal, choices(o.decimal), "the decimal mark of numbers");
  visit(
      "encoding", o.encoding, "NAMES",
      "what the text is written in: utf-8, or one that iconv knows; of several, with commas, each "
      "file has the first that fits it; unset: utf-8, or UTF-16 by its byte-order mark");
  visit("thousands", o.thousands, "C", "a grouping mark within numbers");
  visit("strip", o.strip, "CHARS", "characters around numbers that do not count, like $ or %");
  visit("member", o.member, "PATTERN",
        "the file in an archive; several that fit are one source; unset: its only one");
  visit("table", o.table, "NAME", "the table of a database; unset: its only one");
  visit("query", o.query, "SQL", "what a database is asked for, in place of a table");
  visit("variable", o.variable, "NAME", "the variable of a grid; unset: its only one");
  visit("near", o.near, "LAT,LON", "of a grid, the cell nearest to this place");
  visit("slice", o.slice, "DIM=INDEX,..", "of a grid, where other dimensions stand, from 0");
  visit("time", o.time, "COL",
        "the time column, or several that make one (day+clock, Year+Month+Day); unset: the first "
        "column that reads as times");
  visit("time-format", o.time_format, "F",
        "auto, iso, epoch-s, epoch-ms, epoch-us, epoch-ns; dmy, mdy, ymd (03/04/2025 14:30); named "
        "(26 Oct 2025, RFC 2822, HTTP); compact (202510261430); serial-1900, serial-1904 (days as "
        "spreadsheets count them); elapsed-ms, -s, -min, -h, -d or -count (numbers since a zero); "
        "epoch:UNIT:ORIGIN (numbers of a unit since a date: epoch:100ns:1601-01-01); or a strptime "
        "pattern (%f: fraction, %z: offset, %Z: "
        "abbreviation). Two-digit years from 69 are 19xx");
  visit("date-order", o.date_order, "dmy|mdy|ymd",
        "for dates like 03/04/2025; unset: found from the data");
  visit("zone", o.zone, "ZONE", "local times are this IANA zone's, and calendar buckets follow it");
  visit("repeated", o.repeated, choices(o.repeated),
        "a local time that happens twice; order: decided by the order of the records");
  visit("skipped", o.skipped, choices(o.skipped), "a local time that never happens");
  visit("not-before", o.not_before, "T", "earlier times are rejected");
  visit("not-after", o.not_after, "T", "later times are rejected");
  visit("key", o.key, "COL", "one strand per value of this column, or per pair of values: A+B");
  visit("columns", o.columns, "A,B", "read only these, and time and key; unset: all");
  visit("text", o.text, "A,B", "columns that are text, whatever they hold");
  visit("number", o.number, "A,B", "columns that are numbers, whatever they hold");
  visit("missing", o.missing, "WORDS", "further words for missing, comma-separated");
}

namespace detail {
/// What a source that is open holds; null when it is opened anew for each reading.
[[nodiscard]] const void* open_text_of(const Source& source);
}  // namespace detail

/// A source that is open: a mapped file, or all of a pipe. Copies share it, and it can be read more
/// than once.
class Source {
 public:
  /// Opens a file, or standard input for "-". Throws Error of kind input.
  explicit Source(const std::string& path);

  [[nodiscard]] const std::string& path() const { return path_; }

 private:
  friend const void* detail::open_text_of(const Source& source);
  std::string path_{};
  std::shared_ptr<const void> text_{};
};

/// Reads an open source.
[[nodiscard]] Records read_records(const Source& source, const ReadOptions& options = {});

/// For a program's handler of SIGBUS: when `address` lies in a source that was cut short while it
/// is read, puts an empty page there and returns true; reading then ends with an Error that says
/// so. Takes no lock.
bool mend_cut_page(void* address) noexcept;

/// Reads a file, or standard input for "-", in the format that the options or the file's ending
/// say.
///
/// Cost: one pass over the bytes in parallel chunks, two when a guess at a column's type from
/// samples was wrong. Memory: the columns kept and about 5 bytes a record; a file is mapped.
/// Throws Error of kind input when the source is absent, unreadable, empty, or has no column that
/// reads as times; of kind usage when an option names no column.
[[nodiscard]] Records read_records(const std::string& path, const ReadOptions& options = {});

/// The same, as delimited text whatever the ending.
[[nodiscard]] Records read_csv(const std::string& path, const ReadOptions& options = {});

/// Reads delimited text from memory; `name` stands for the file in messages.
[[nodiscard]] Records read_text(std::string text, const ReadOptions& options = {},
                                const std::string& name = "text");

}  // namespace v1
}  // namespace zerobeat
