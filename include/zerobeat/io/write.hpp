/// Writing timelines and tables: delimited text and aligned text, whole or not at all.

#pragma once

#include <array>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/io/output.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/time_form.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

[[nodiscard]] constexpr auto enum_words(Precision) {
  return std::array<std::string_view, 5>{"auto", "s", "ms", "us", "ns"};
}

/// What to do when the table is there already.
enum class IfExists { fail, replace, append };
[[nodiscard]] constexpr auto enum_words(IfExists) {
  return std::array<std::string_view, 3>{"fail", "replace", "append"};
}

struct WriteOptions {
  std::string to = "auto";                     ///< a sink's name; auto: by the file's ending
  bool local = false;                          ///< times in the timeline's zone, with their offset
  Precision precision = Precision::automatic;  ///< digits of the second; automatic: no loss
  TimeForm time_as{};                          ///< how times are written
  std::optional<int> digits{};          ///< significant ones of numbers, for people; unset: no loss
  std::string into{};                   ///< the table of a database; empty: the file's stem
  IfExists if_exists = IfExists::fail;  ///< what to do when it is there already
  std::size_t width = 0;  ///< of text: the terminal's; 0: there is none, and nothing is shortened

  friend bool operator==(const WriteOptions&, const WriteOptions&) = default;
};

/// The names of the sinks: "csv, tsv or text".
[[nodiscard]] std::string sink_words();

template <typename Visitor, OptionsOf<WriteOptions> O>
void fields(Visitor&& visit, O& o) {
  visit("to", o.to, "FORMAT",
        (sink_words() + "; auto: by the file's ending, csv when it has none").c_str());
  visit("local", o.local, "", "times in ‹zone›, with their offset, instead of UTC");
  visit("precision", o.precision, choices(o.precision),
        "digits of the second; auto: as few as lose nothing");
  visit("digits", o.digits, "N",
        "significant digits of numbers, for people; unset: as many as read back the same");
  visit("into", o.into, "TABLE", "the table of a database; unset: the file's stem");
  visit("if-exists", o.if_exists, choices(o.if_exists),
        "what to do when the table is there: append has to have the same columns");
  visit("time-as", o.time_as, "FORM",
        "rfc3339, epoch-s, epoch-ms, epoch-us, epoch-ns, quarter, week, elapsed (seconds since the "
        "first time), or a strftime pattern (%f: fraction); local with ‹local›");
}

/// A table of a database that is being written, in one transaction. What is not committed is undone
/// when the last copy goes.
struct Store {
  /// Writes all rows, times as times. Throws Error of kind output when the database refuses.
  std::function<void(const Table& table, const Zone& zone)> write_table{};
  std::function<void()> commit{};
  WriteOptions options{};

  void write(const Timeline& timeline) const;
  void write(const Table& table, const Zone& zone = {}) const;
};

/// A form of output: a line of the table of sinks.
struct Sink {
  std::string_view name;
  std::string_view endings;  ///< ".tsv .tab", with spaces between
  void (*timeline)(const Timeline& timeline, Output& output, const WriteOptions& options);
  void (*table)(const Table& table, Output& output, const WriteOptions& options, const Zone& zone);
  /// Of databases, in place of the two above.
  Store (*open)(const std::string& path, const WriteOptions& options);
};

/// Every sink there is.
[[nodiscard]] std::span<const Sink> sinks();

/// The sink that the options name, or the one of the file's ending; a name without an ending, and
/// what is no regular file, is csv. Case does not count. Throws Error naming the sinks and their
/// endings when there is none.
[[nodiscard]] const Sink& sink_for(const std::string& path, const WriteOptions& options);

/// The store that a path and options mean; none when they mean a file.
[[nodiscard]] std::optional<Store> open_store(const std::string& path, const WriteOptions& options);

/// Writes all rows, strand by strand: time, key if there is one, then values; or a table that has
/// no time of its own, whose times are written in `zone` when options.local. Does not commit.
///
/// Delimited text has a header, newline ends (csv: RFC 4180), missing empty, times as RFC 3339,
/// numbers in the shortest form that reads back the same. The same timeline gives the same bytes at
/// any thread count. Stops early when the output's reader has gone. Throws Error of kind output.
void write(const Timeline& timeline, Output& output, const std::string& path,
           const WriteOptions& options = {});
void write(const Table& table, Output& output, const std::string& path,
           const WriteOptions& options = {}, const Zone& zone = {});

/// Writes a file whole or not at all, standard output for "-", or a table of a database:
/// write(timeline, "x.csv").
void write(const Timeline& timeline, const std::string& path, const WriteOptions& options = {});
void write(const Table& table, const std::string& path, const WriteOptions& options = {},
           const Zone& zone = {});

/// The same as csv, whatever the ending.
void write_csv(const Timeline& timeline, Output& output, const WriteOptions& options = {});
void write_csv(const Timeline& timeline, const std::string& path, const WriteOptions& options = {});
void write_csv(const Table& table, Output& output, const WriteOptions& options = {},
               const Zone& zone = {});

/// `text` as a cell of delimited text, quoted when it must be.
[[nodiscard]] std::string csv_cell(std::string_view text);

}  // namespace v1
}  // namespace zerobeat
