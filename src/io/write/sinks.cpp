#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/source_name.hpp>
#include <zerobeat/io/write.hpp>

#include "io/write/write_arrow.hpp"
#include "io/write/write_delimited.hpp"
#include "io/write/write_json.hpp"
#include "io/write/write_parquet.hpp"
#include "io/write/write_postgresql.hpp"
#include "io/write/write_sqlite.hpp"
#include "io/write/write_text.hpp"
#include "table/key_column.hpp"

namespace zerobeat::inline v1 {

namespace {

using namespace detail;

/// A sink that writes tables writes timelines as such.
template <void (*write)(const Table&, Output&, const WriteOptions&, const Zone&)>
void write_as_table(const Timeline& timeline, Output& output, const WriteOptions& options) {
  write(table_of(timeline, options), output, options, timeline.zone());
}

constexpr Sink all_sinks[] = {
    {"csv", ".csv",
     [](const Timeline& timeline, Output& output, const WriteOptions& options) {
       write_delimited(timeline, output, options, csv_shape);
     },
     [](const Table& table, Output& output, const WriteOptions& options, const Zone& zone) {
       write_delimited(table, output, options, zone, csv_shape);
     },
     nullptr},
    {"tsv", ".tsv .tab",
     [](const Timeline& timeline, Output& output, const WriteOptions& options) {
       write_delimited(timeline, output, options, tsv_shape);
     },
     [](const Table& table, Output& output, const WriteOptions& options, const Zone& zone) {
       write_delimited(table, output, options, zone, tsv_shape);
     },
     nullptr},
    {"jsonl", ".jsonl .ndjson", write_as_table<write_json_lines>, write_json_lines, nullptr},
    {"arrow", ".arrow", write_as_table<write_arrow>, write_arrow, nullptr},
    {"parquet", ".parquet", write_as_table<write_parquet>, write_parquet, nullptr},
    {"sqlite", ".sqlite .sqlite3 .db", nullptr, nullptr, open_sqlite_store},
    {"postgresql", "", nullptr, nullptr, open_postgresql_store},
    {"text", ".txt", write_as_table<write_text>, write_text, nullptr},
};

std::string lower_case(std::string text) {
  for (char& c : text) c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
  return text;
}

/// A path's last ending; before the one of a compression, when it has such.
std::string ending_of(const std::string& path) {
  std::filesystem::path file(path);
  if (compression_of(path) != Compression::none) file = file.stem();
  return lower_case(file.extension().string());
}

bool has_ending(const Sink& sink, const std::string& ending) {
  return !ending.empty() &&
         (" " + std::string(sink.endings) + " ").find(" " + ending + " ") != std::string::npos;
}

}  // namespace

std::span<const Sink> sinks() { return all_sinks; }

std::string sink_words() {
  std::string words;
  for (std::size_t i = 0; i < std::size(all_sinks); ++i) {
    words += i == 0 ? "" : i + 1 == std::size(all_sinks) ? " or " : ", ";
    words += all_sinks[i].name;
  }
  return words;
}

const Sink& sink_for(const std::string& path, const WriteOptions& options) {
  const auto named = [&](std::string_view name) {
    return std::ranges::find(all_sinks, name, &Sink::name);
  };
  const bool connection = is_connection(path);
  const Sink* sink = nullptr;
  if (options.to != "auto") {
    const auto at = named(options.to);
    if (at == std::end(all_sinks)) {
      std::vector<std::string> names{"auto"};
      for (const Sink& format : all_sinks) names.emplace_back(format.name);
      fail_usage("‹to› {}: there is no such format{}", shown(options.to),
                 did_you_mean(options.to, names));
    }
    sink = at;
  } else if (connection) {
    sink = named("postgresql");
  } else {
    namespace fs = std::filesystem;
    const std::string ending = ending_of(path);
    std::error_code ignored;
    const fs::file_status about = fs::status(path, ignored);
    const bool device = fs::exists(about) && !fs::is_regular_file(about);
    if (path == "-" || ending.empty() || device) {
      sink = all_sinks;
    } else {
      sink = std::ranges::find_if(all_sinks,
                                  [&](const Sink& format) { return has_ending(format, ending); });
    }
    if (sink == std::end(all_sinks)) {
      std::string known;
      for (const Sink& format : all_sinks) {
        if (!format.endings.empty())
          known += (known.empty() ? "" : ", ") + std::string(format.endings);
      }
      fail_usage(
          "{}: no format has the ending {}; there is {}, each with .gz or .zst after it, or "
          "say which it is: ‹to› {}",
          shown(path), shown(ending), known, all_sinks[0].name);
    }
  }
  if (connection != (sink->name == "postgresql")) {
    fail_usage("‹to› {}: {} is {}", sink->name, shown(without_password(path), 200),
               connection ? "a database" : "no postgresql:// address");
  }
  if (sink->open != nullptr && (path == "-" || compression_of(path) != Compression::none)) {
    fail_usage("{}: {} is written into a file of its own, neither compressed nor into a pipe",
               path == "-" ? "standard output" : shown(path), sink->name);
  }
  if (options.digits && (*options.digits < 1 || *options.digits > 17)) {
    fail_usage("‹digits› {}: numbers have 1 to 17 significant digits", *options.digits);
  }
  if (sink->open == nullptr && (!options.into.empty() || options.if_exists != IfExists::fail)) {
    fail_usage("{}: is for databases; {} is {}", options.into.empty() ? "‹if_exists›" : "‹into›",
               path == "-" ? "standard output" : shown(path), sink->name);
  }
  return *sink;
}

std::optional<Store> open_store(const std::string& path, const WriteOptions& options) {
  const Sink& sink = sink_for(path, options);
  if (sink.open == nullptr) return std::nullopt;
  Store store = sink.open(path, options);
  store.options = options;
  return store;
}

void Store::write(const Timeline& timeline) const {
  write(table_of(timeline, options), timeline.zone());
}

void Store::write(const Table& table, const Zone& zone) const {
  write_table(with_own_keys(table), zone);
}

std::string csv_cell(std::string_view text) {
  Text out;
  append_cell(out, text);
  return fmt::to_string(out);
}

void write(const Timeline& timeline, Output& output, const std::string& path,
           const WriteOptions& options) {
  const Sink& sink = sink_for(path, options);
  if (sink.timeline == nullptr) fail_usage("{}: a database is written by open_store()", sink.name);
  output.compress(compression_of(path));
  sink.timeline(timeline, output, options);
}

void write(const Table& table, Output& output, const std::string& path, const WriteOptions& options,
           const Zone& zone) {
  const Sink& sink = sink_for(path, options);
  if (sink.table == nullptr) fail_usage("{}: a database is written by open_store()", sink.name);
  output.compress(compression_of(path));
  sink.table(with_own_keys(table), output, options, zone);
}

void write(const Timeline& timeline, const std::string& path, const WriteOptions& options) {
  if (const auto store = open_store(path, options)) {
    store->write(timeline);
    store->commit();
    return;
  }
  Output output(path);
  write(timeline, output, path, options);
  output.commit();
}

void write(const Table& table, const std::string& path, const WriteOptions& options,
           const Zone& zone) {
  if (const auto store = open_store(path, options)) {
    store->write(table, zone);
    store->commit();
    return;
  }
  Output output(path);
  write(table, output, path, options, zone);
  output.commit();
}

void write_csv(const Timeline& timeline, Output& output, const WriteOptions& options) {
  write_delimited(timeline, output, options, csv_shape);
}

void write_csv(const Timeline& timeline, const std::string& path, const WriteOptions& options) {
  Output output(path);
  write_csv(timeline, output, options);
  output.commit();
}

void write_csv(const Table& table, Output& output, const WriteOptions& options, const Zone& zone) {
  write_delimited(with_own_keys(table), output, options, zone, csv_shape);
}

}  // namespace zerobeat
