#include "io/source/formats.hpp"

#include <zerobeat/base/error.hpp>

#include "io/arrow/read_arrow.hpp"
#include "io/database/read_sqlite.hpp"
#include "io/netcdf/read_netcdf.hpp"
#include "io/parquet/read_parquet.hpp"

namespace zerobeat::inline v1::detail {

namespace {

bool begins_as_json(std::string_view head) {
  const std::size_t first = head.find_first_not_of(" \t\r\n");
  if (first == std::string_view::npos || head[first] != '{') return false;
  const std::size_t next = head.find_first_not_of(" \t\r\n", first + 1);
  return next == std::string_view::npos || head[next] == '"' || head[next] == '}';
}

constexpr Format all_formats[] = {
    {InputFormat::arrow, ".arrow", begins_as_arrow, open_arrow},
    {InputFormat::parquet, ".parquet", begins_as_parquet, open_parquet},
    {InputFormat::netcdf, ".nc .nc4 .cdf", begins_as_netcdf, open_netcdf},
    {InputFormat::sqlite, ".sqlite .sqlite3 .db", begins_as_sqlite, open_sqlite},
    {InputFormat::jsonl, ".jsonl .ndjson", begins_as_json, nullptr, {.named = true}},
    {InputFormat::tsv, ".tsv .tab", nullptr, nullptr, {.delimiter = '\t', .quote = '\0'}},
    {InputFormat::csv, ".csv", nullptr, nullptr},
};

std::string ending_of(std::string_view name) {
  const std::size_t dot = name.rfind('.');
  if (dot == std::string_view::npos || name.find('/', dot) != std::string_view::npos) return "";
  std::string ending(name.substr(dot));
  for (char& c : ending) c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
  return ending;
}

}  // namespace

const Format& format_of(std::string_view head, const std::string& name,
                        const ReadOptions& options) {
  const Format* csv = nullptr;
  for (const Format& format : all_formats) {
    if (format.format == InputFormat::csv) csv = &format;
    if (options.from != InputFormat::automatic && format.format == options.from) return format;
  }
  if (options.from != InputFormat::automatic) {
    fail_usage("‹from› {}: is not read from a file", to_text(options.from));
  }
  for (const Format& format : all_formats) {
    if (format.begins != nullptr && format.begins(head)) return format;
  }
  const std::string ending = " " + ending_of(name) + " ";
  for (const Format& format : all_formats) {
    if ((" " + std::string(format.endings) + " ").find(ending) != std::string::npos) return format;
  }
  return *csv;
}

}  // namespace zerobeat::detail
