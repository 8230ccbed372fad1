// The record scanner: the first two bytes choose options, the rest is a file.

#include <tbb/global_control.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <cstring>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/io/read.hpp>

#include "invariants.hpp"
#include "io/source/read_task.hpp"
#include "io/text/scan.hpp"

namespace {

using namespace zerobeat;

detail::ReadTask options_of(unsigned char first, unsigned char second) {
  detail::ReadTask options;
  options.no_header = (first & 1) != 0;
  if ((first & 2) != 0) options.delimiter = ';';
  if ((first & 4) != 0) options.comment = '#';
  options.from = (first & 8) != 0 ? InputFormat::tsv : InputFormat::csv;
  if ((first & 16) != 0) options.untimed = true;
  if ((first & 32) != 0) options.key = options.no_header ? "c2" : "k";
  if ((first & 64) != 0) options.missing = {"x"};
  if ((second & 1) != 0) options.time_format = format_of(TimeFormat::Kind::iso);
  if ((second & 2) != 0) options.time_format = format_of(TimeFormat::Kind::epoch_s);
  if ((second & 4) != 0) options.zone = Zone::find("Europe/Dublin");
  options.repeated = static_cast<Repeated>(second / 8 % 4);
  options.skipped = static_cast<Skipped>(second / 32 % 2);
  options.date_order = DateOrder::dmy;
  if (!options.untimed) options.time = options.no_header ? "c1" : "";
  return options;
}

bool same(const Column& a, const Column& b) {
  if (a.type() != b.type() || a.size() != b.size()) return false;
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (a.valid(i) != b.valid(i)) return false;
    if (!a.valid(i)) continue;
    switch (a.type()) {
      case Column::Type::number:
        if (std::memcmp(&a.numbers()[i], &b.numbers()[i], 8) != 0) return false;
        break;
      case Column::Type::integer:
        if (a.integers()[i] != b.integers()[i]) return false;
        break;
      case Column::Type::time:
        if (a.times()[i] != b.times()[i]) return false;
        break;
      case Column::Type::text:
        if (a.dictionary()[static_cast<std::size_t>(a.codes()[i])] !=
            b.dictionary()[static_cast<std::size_t>(b.codes()[i])]) {
          return false;
        }
        break;
      case Column::Type::boolean:
        if (a.boolean(i) != b.boolean(i)) return false;
        break;
    }
  }
  return true;
}

void compare(const Records& a, const Records& b) {
  HOLDS(a.source->records == b.source->records);
  HOLDS(a.source->kept == b.source->kept);
  HOLDS(a.source->by_reason == b.source->by_reason);
  HOLDS(a.source->faults == b.source->faults);
  HOLDS(a.source->records_with_unreadable == b.source->records_with_unreadable);
  HOLDS(same(a.times, b.times));
  HOLDS(a.keys.has_value() == b.keys.has_value());
  if (a.keys) HOLDS(same(*a.keys, *b.keys));
  HOLDS(a.values.names() == b.values.names());
  for (std::size_t i = 0; i < a.values.columns().size(); ++i) {
    HOLDS(same(a.values.columns()[i], b.values.columns()[i]));
  }
  for (std::size_t i = 0; i < a.size(); ++i) {
    HOLDS(a.places->line(i) == b.places->line(i));
    HOLDS(a.places->byte(i) == b.places->byte(i));
  }
}

/// Every byte after the header is of one record, or of a blank line, a comment or a line's end.
void check_bytes(const Records& records, const ReadOptions& options) {
  const SourceAccount& account = *records.source;
  struct Span {
    std::uint64_t from, until, line;
  };
  std::vector<Span> spans;
  for (std::size_t i = 0; i < records.size(); ++i) {
    const std::uint64_t byte = records.places->byte(i);
    spans.push_back({byte, byte + account.record_length(byte), records.places->line(i)});
  }
  for (const Fault& fault : account.faults) {
    if (fault.reason == Reason::unreadable_reading) continue;
    spans.push_back({fault.byte, fault.byte + fault.length, fault.line});
  }
  HOLDS(spans.size() == static_cast<std::size_t>(account.records));
  std::ranges::sort(spans, {}, &Span::from);
  for (std::size_t i = 0; i < spans.size(); ++i) {
    const std::uint64_t next =
        i + 1 < spans.size() ? spans[i + 1].from : account.parts[0].text.size();
    HOLDS(spans[i].until <= next);
    std::string_view between = account.parts[0].text.substr(spans[i].until, next - spans[i].until);
    // To the end of its own line there is nothing but that end; then lines that are no records.
    HOLDS(i + 1 == spans.size() || between.find('\n') != std::string_view::npos);
    const std::size_t own_end = std::min(between.find('\n'), between.size());
    HOLDS(between.substr(0, own_end).find_first_not_of('\r') == std::string_view::npos);
    between.remove_prefix(std::min(own_end + 1, between.size()));
    while (!between.empty()) {
      const std::size_t end = std::min(between.find('\n'), between.size());
      const std::string_view line = between.substr(0, end);
      const bool comment = options.comment && line.starts_with(*options.comment);
      HOLDS(comment || line.find_first_not_of(" \t\r") == std::string_view::npos);
      between.remove_prefix(std::min(end + 1, between.size()));
    }
    const auto lines = static_cast<std::uint64_t>(std::count(
        account.parts[0].text.begin(),
        account.parts[0].text.begin() + static_cast<std::ptrdiff_t>(spans[i].from), '\n'));
    HOLDS(spans[i].line == lines + 1);
  }
}

void check_scan(std::string_view text) {
  detail::Scan fast, plain;
  detail::scan_text(text, ',', '"', fast);
  detail::scan_text_plain(text, ',', '"', plain);
  HOLDS(std::ranges::equal(fast.places(), plain.places()));
  HOLDS(fast.lines() == plain.lines() && fast.has_return == plain.has_return);
  HOLDS(fast.has_quote == plain.has_quote && fast.has_high == plain.has_high);
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
  static const tbb::global_control eight(tbb::global_control::max_allowed_parallelism, 8);
  static tbb::task_arena one_thread(1), eight_threads(8);
  if (size < 2) return 0;
  detail::ReadTask options = options_of(data[0], data[1]);
  const std::string text(reinterpret_cast<const char*>(data) + 2, size - 2);
  check_scan(text);
  try {
    Records whole, parts;
    one_thread.execute([&] { whole = read_text(text, options); });
    const SourceAccount& account = *whole.source;
    HOLDS(account.records == account.kept + account.rejected + account.merged);
    HOLDS(account.kept == static_cast<std::int64_t>(whole.size()));
    check_bytes(whole, options);
    // In chunks of some bytes, side by side: the same.
    options.chunk_bytes = 16;
    eight_threads.execute([&] { parts = read_text(text, options); });
    compare(whole, parts);
    options.judge_only = true;
    one_thread.execute([&] { parts = read_text(text, options); });
    HOLDS(parts.source->faults == account.faults && parts.source->records == account.records);
    for (std::size_t i = 0; i < parts.seen.size(); ++i) {
      const Column& column = whole.values.columns()[i];
      HOLDS(options.repeated == Repeated::order || parts.seen[i].type == column.type());
      HOLDS(options.repeated == Repeated::order ||
            parts.seen[i].missing == static_cast<std::int64_t>(column.validity().missing()));
    }
  } catch (const Error&) {
    // Input that can't be read at all is said to be so.
  }
  return 0;
}
