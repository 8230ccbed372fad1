#include "io/text/shape.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <zerobeat/base/text.hpp>

#include "base/trim.hpp"
#include "io/judge/cells.hpp"
#include "io/text/preamble.hpp"
#include "io/text/record_splitter.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// What can't be delimited text at all.
void refuse_what_is_no_text(const SourceText& source, std::string_view text) {
  if (text.empty()) {
    fail_input("{}: is empty; a source has at least a header line", source.name);
  }
  constexpr std::size_t looked_at = 4096;
  const std::string_view head = text.substr(0, looked_at);
  const std::size_t nul = head.substr(0, head.find('\n')).find('\0');
  if (nul != std::string_view::npos) {
    const auto nuls = static_cast<std::size_t>(std::ranges::count(head, '\0'));
    fail_input("{}: byte {}: is a NUL, which text does not have; this is no delimited text{}",
               source.name, nul,
               nuls * 3 > head.size() ? "; is it UTF-16? ‹encoding› utf-16le or utf-16be" : "");
  }
  // Letters, and hardly a sign that no text has.
  const auto odd = std::ranges::count_if(head, [](char c) {
    const auto byte = static_cast<unsigned char>(c);
    return byte < ' ' && c != '\t' && c != '\n' && c != '\r' && c != '\f' && c != '\x1f';
  });
  if (odd * 10 > static_cast<std::ptrdiff_t>(head.size())) {
    fail_input("{}: byte 0: begins like no text, nor like any format that is read; see ‹from›",
               source.name);
  }
  constexpr std::size_t longest_header = std::size_t{16} << 20;
  if (text.size() > longest_header && text.find('\n') > longest_header) {
    fail_input("{}: byte 0: the first line is longer than 16 MiB; this is no delimited text",
               source.name);
  }
}

/// The first lines of a text that are neither blank nor comments, split.
struct HeadRecord {
  std::size_t at = 0;
  std::int64_t lines_before = 0;
  LooseRecord record;
};

std::vector<HeadRecord> head_records(std::string_view text, std::size_t begin,
                                     const std::optional<char>& comment, char delimiter, char quote,
                                     std::size_t most) {
  std::vector<HeadRecord> records;
  std::size_t at = begin;
  std::int64_t lines = 0;
  while (records.size() < most && at < text.size()) {
    if (comment && text[at] == *comment) {
      at = after_line(text, at);
      ++lines;
      continue;
    }
    LooseRecord record = read_loose_record(text, at, delimiter, quote);
    const std::size_t end = record.end;
    if (!record.blank) records.push_back({at, lines, std::move(record)});
    lines += std::ranges::count(text.substr(at, end - at), '\n');
    at = end;
  }
  return records;
}

/// The delimiter with which most of the first lines have as many cells as the first.
char find_delimiter(std::string_view text, std::size_t begin, const ReadOptions& options,
                    char quote) {
  char best = ',';
  std::pair<std::size_t, std::size_t> best_score{0, 0};
  for (const char candidate : {',', ';', '\t', '|'}) {
    if (candidate == ',' && options.decimal == DecimalMark::comma) continue;
    const auto records = head_records(text, begin, options.comment, candidate, quote, 50);
    std::size_t header_cells = 0, same = 0;
    for (const auto& record : records) {
      if (record.record.broken) continue;
      if (header_cells == 0) header_cells = record.record.cells.size();
      same += record.record.cells.size() == header_cells;
    }
    if (header_cells < 2) continue;
    if (std::pair(same, header_cells) > best_score) {
      best_score = {same, header_cells};
      best = candidate;
    }
  }
  return best;
}

bool looks_like_data(std::string_view cell, char decimal_mark) {
  cell = trim(cell);
  if (cell.empty()) return false;
  if (read_number(cell, decimal_mark).kind != NumberReading::Kind::unreadable) return true;
  const auto digits = std::ranges::count_if(cell, [](char c) { return c >= '0' && c <= '9'; });
  return digits >= 4 && digits * 2 >= static_cast<std::ptrdiff_t>(cell.size());
}

/// A line of names: none is empty, a number or a date.
bool looks_like_header(const LooseRecord& record, char decimal_mark) {
  return !record.broken && std::ranges::none_of(record.cells, [&](const std::string& cell) {
    return trim(cell).empty() || looks_like_data(cell, decimal_mark);
  });
}

/// Lines before the header that say something of the source: the header is the first line of names
/// that has as many cells as nearly all lines after it, when the first line has not.
struct Header {
  char delimiter = ',';
  HeadRecord found;
};
std::optional<Header> find_header(std::string_view text, std::size_t begin,
                                  const ReadOptions& options, char quote,
                                  const std::vector<char>& delimiters) {
  std::optional<Header> best;
  std::size_t best_same = 0;
  const char mark = options.decimal == DecimalMark::comma ? ',' : '.';
  for (const char delimiter : delimiters) {
    constexpr std::size_t looked_at = 150, after = 50;
    auto records = head_records(text, begin, options.comment, delimiter, quote, looked_at);
    for (std::size_t i = 0; i + 1 < records.size(); ++i) {
      const std::size_t cells = records[i].record.cells.size();
      if (cells < 2) continue;
      const std::size_t until = std::min(records.size(), i + 1 + after);
      std::size_t same = 0;
      for (std::size_t k = i + 1; k < until; ++k) same += records[k].record.cells.size() == cells;
      if (same * 10 < (until - i - 1) * 9) continue;
      // A first line that nearly all others are like is the header; but for one that is mostly
      // empty, as spreadsheets leave above their tables.
      const auto empty = std::ranges::count_if(
          records[i].record.cells, [](const std::string& cell) { return trim(cell).empty(); });
      if (i == 0 && (options.no_header || static_cast<std::size_t>(empty) * 2 < cells)) {
        return std::nullopt;
      }
      if (static_cast<std::size_t>(empty) * 2 >= cells) continue;
      const bool data_follows =
          std::ranges::any_of(records[i + 1].record.cells,
                              [&](const std::string& cell) { return looks_like_data(cell, mark); });
      const bool good = options.no_header || (looks_like_header(records[i].record, mark) &&
                                              (data_follows || i + 2 < records.size()));
      if (!good) break;
      if (same > best_same) {
        best_same = same;
        best = {delimiter, std::move(records[i])};
      }
      break;
    }
  }
  return best;
}

void check_names(const std::vector<std::string>& names, const SourceText& source,
                 std::uint64_t line) {
  std::set<std::string> seen;
  for (std::size_t i = 0; i < names.size(); ++i) {
    if (printable(names[i]) != names[i]) {
      fail_input(
          "{}:{}: the name of column {} is not UTF-8: \"{}\"; say what the text is written in: "
          "‹encoding› latin1, say",
          source.name, line, i + 1, printable(names[i]));
    }
    if (!seen.insert(names[i]).second) {
      const auto first = std::ranges::find(names, names[i]) - names.begin() + 1;
      fail_input(
          "{}:{}: two columns are named \"{}\" (columns {} and {}); rename one, or pass over the "
          "header: ‹skip_lines› {} ‹no_header›",
          source.name, line, names[i], first, i + 1, line);
    }
  }
}

void check_delimiter(const Shape& shape, const ReadOptions& options) {
  if (shape.delimiter == '\n' || shape.delimiter == '"' || shape.delimiter == '\r') {
    fail_usage("‹delimiter› can't be a quote or a line's end");
  }
  const char mark = options.decimal == DecimalMark::comma ? ',' : '.';
  if (!shape.runs && shape.delimiter == mark) {
    fail_usage("the delimiter and the decimal mark are both \"{}\"; give ‹delimiter›",
               shape.delimiter);
  }
}

}  // namespace

Shape find_shape(const SourceText& source, std::string_view text, const RecordForm& form,
                 const ReadOptions& options) {
  refuse_what_is_no_text(source, text);
  Shape shape;
  shape.form = form;
  std::size_t at = text.substr(0, 3) == "\xef\xbb\xbf" ? 3 : 0;
  if (form.named) {
    shape.data_begin = at;
    return shape;
  }
  shape.quote = form.quote;
  for (std::int64_t i = 0; i < options.skip_lines && at < text.size(); ++i, ++shape.data_line) {
    if (options.untimed) add_preamble_line(text, at, shape);
    at = after_line(text, at);
  }
  if (options.untimed && options.skip_lines == 0) pass_preamble(text, options, at, shape);
  // Blank lines and comments before the header are passed over.
  for (;; ++shape.data_line) {
    if (at >= text.size() && options.skip_lines > 0) {
      fail_input("{}: has no header: ‹skip_lines› {} passes over all of its lines", source.name,
                 options.skip_lines);
    }
    if (at >= text.size()) {
      fail_input("{}: has no header; it is empty but for blank lines and comments", source.name);
    }
    const bool comment = options.comment && text[at] == *options.comment;
    if (!comment) {
      const std::string_view line = text.substr(at, after_line(text, at) - at);
      if (line.find_first_not_of(" \r\n") != std::string_view::npos) break;
    }
    at = after_line(text, at);
  }
  if (options.delimiter) {
    shape.delimiter = options.delimiter->mark;
    shape.runs = options.delimiter->runs;
  } else if (form.delimiter != '\0') {
    shape.delimiter = form.delimiter;
  }
  const bool found_by_lines = !options.untimed && options.skip_lines == 0 && !shape.runs;
  const bool told = options.delimiter || form.delimiter != '\0';
  std::vector<char> candidates{shape.delimiter};
  if (!told) {
    candidates = {',', ';', '\t', '|'};
    if (options.decimal == DecimalMark::comma) std::erase(candidates, ',');
  }
  std::optional<Header> header;
  if (found_by_lines) header = find_header(text, at, options, shape.quote, candidates);
  if (header) {
    shape.delimiter = header->delimiter;
    shape.passed_lines = header->found.lines_before;
    shape.data_line += static_cast<std::uint64_t>(header->found.lines_before);
    at = header->found.at;
  } else if (!told) {
    shape.delimiter = find_delimiter(text, at, options, shape.quote);
  }
  check_delimiter(shape, options);
  const LooseRecord names = read_loose_record(text, at, shape.delimiter, shape.quote, shape.runs);
  if (names.broken) {
    fail_input("{}:{}: byte {}: a quote in the header does not close", source.name, shape.data_line,
               at);
  }
  for (std::size_t i = 0; i < names.cells.size(); ++i) {
    const std::string name = options.no_header ? "" : std::string(trim(names.cells[i]));
    shape.names.push_back(name.empty() ? fmt::format("c{}", i + 1) : name);
  }
  check_names(shape.names, source, shape.data_line);
  shape.header_line = shape.data_line;
  if (!options.no_header) {
    const std::string_view raw = text.substr(at, names.end - at);
    shape.data_line += static_cast<std::uint64_t>(std::ranges::count(raw, '\n'));
    at = names.end;
  }
  shape.data_begin = at;
  return shape;
}

}  // namespace zerobeat::detail
