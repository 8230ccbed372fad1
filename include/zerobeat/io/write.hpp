/// Writing timelines: delimited text, whole or not at all.

#pragma once

#include <array>
#include <span>
#include <string>
#include <zerobeat/clean/clip.hpp>
#include <zerobeat/io/output.hpp>
#include <zerobeat/option.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/time_form.hpp>

namespace zerobeat {

enum class OutputFormat { automatic, csv, jsonl };
constexpr auto enum_words(OutputFormat) {
  return std::array<std::string_view, 3>{"auto", "csv", "jsonl"};
}
constexpr auto enum_words(Precision) {
  return std::array<std::string_view, 5>{"auto", "s", "ms", "us", "ns"};
}

struct WriteOptions {
  OutputFormat to = OutputFormat::automatic;   ///< automatic: csv
  bool local = false;                          ///< times in the timeline's zone, with their offset
  Precision precision = Precision::automatic;  ///< digits of the second; automatic: no loss
  TimeForm time_as{};                          ///< how times are written

  friend bool operator==(const WriteOptions&, const WriteOptions&) = default;
};

template <typename Visitor, OptionsOf<WriteOptions> O>
void fields(Visitor&& visit, O& o) {
  visit("to", o.to, "FORMAT", "csv or jsonl; auto: by the file's ending, else csv");
  visit("local", o.local, "", "times in --zone, with their offset, instead of UTC");
  visit("precision", o.precision, choices(o.precision),
        "digits of the second; auto: as few as lose nothing");
  visit("time-as", o.time_as, "FORM",
        "rfc3339, epoch-s, epoch-ms, epoch-us, epoch-ns, quarter, week, elapsed (seconds since the "
        "first time), or a strftime pattern (%f: fraction); local with --local");
}

/// Writes the header and all rows, strand by strand: time, key if there is one, then values.
///
/// RFC 4180 with newline ends; missing is empty, times are RFC 3339, numbers have the shortest
/// form that reads back the same. The same timeline gives the same bytes at any thread count.
/// Does not commit. Throws Error of kind output.
void write_csv(const Timeline& timeline, Output& output, const WriteOptions& options = {});

/// Writes a file whole or not at all, or standard output for "-".
void write_csv(const Timeline& timeline, const std::string& path, const WriteOptions& options = {});

/// Writes a table that has no time of its own, such as a profile's; times in it are written in
/// `zone` when options.local. Does not commit.
void write_csv(const Table& table, Output& output, const WriteOptions& options = {},
               const Zone& zone = {});

/// Writes what clipping changed: time,key,column,before,after. Does not commit.
void write_changes(std::span<const ClipChange> changes, Output& output);

/// `text` as a cell of delimited text, quoted when it must be.
std::string csv_cell(std::string_view text);

}  // namespace zerobeat
