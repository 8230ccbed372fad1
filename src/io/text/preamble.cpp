#include "io/text/preamble.hpp"

#include <algorithm>

#include "base/trim.hpp"
#include "io/judge/cells.hpp"
#include "io/text/record_splitter.hpp"

namespace zerobeat::inline v1::detail {

namespace {

std::string_view line_at(std::string_view text, std::size_t at) {
  std::string_view line = text.substr(at, after_line(text, at) - at);
  while (!line.empty() && (line.back() == '\n' || line.back() == '\r')) line.remove_suffix(1);
  return line;
}

}  // namespace

std::size_t after_line(std::string_view text, std::size_t at) {
  const std::size_t newline = text.find('\n', at);
  return newline == std::string_view::npos ? text.size() : newline + 1;
}

void add_preamble_line(std::string_view text, std::size_t at, Shape& found) {
  std::string_view line = trim(line_at(text, at));
  while (!line.empty() && std::string_view("#;%/").find(line.front()) != std::string_view::npos) {
    line = trim(line.substr(1));
  }
  const std::size_t mark = line.find_first_of(":=,;\t");
  if (mark == std::string_view::npos || mark == 0) return;
  const auto without_quotes = [](std::string_view cell) {
    cell = trim(cell);
    if (cell.size() >= 2 && cell.front() == '"' && cell.back() == '"') {
      cell = cell.substr(1, cell.size() - 2);
    }
    return std::string(cell);
  };
  std::string_view value = trim(line.substr(mark + 1));
  while (!value.empty() && std::string_view(",;").find(value.back()) != std::string_view::npos) {
    value = trim(value.substr(0, value.size() - 1));
  }
  found.preamble.push_back(
      {found.data_line, without_quotes(line.substr(0, mark)), without_quotes(value)});
}

void pass_preamble(std::string_view text, const ReadOptions& options, std::size_t& at,
                   Shape& found) {
  const auto is_number = [&](std::string_view cell) {
    return read_number(trim(cell), options.decimal == DecimalMark::comma ? ',' : '.').kind !=
           NumberReading::Kind::unreadable;
  };
  std::vector<char> delimiters{',', ';', '\t', '|'};
  if (options.delimiter) delimiters = {options.delimiter->mark};
  if (options.decimal == DecimalMark::comma) std::erase(delimiters, ',');
  const auto starts_data = [&](std::size_t first, std::size_t second) {
    return std::ranges::any_of(delimiters, [&](char delimiter) {
      const LooseRecord names = read_loose_record(text, first, delimiter, '"');
      const LooseRecord numbers = read_loose_record(text, second, delimiter, '"');
      if (names.broken || numbers.broken || names.cells.size() != numbers.cells.size())
        return false;
      if (!std::ranges::all_of(numbers.cells, is_number)) return false;
      return options.no_header ? std::ranges::all_of(names.cells, is_number)
                               : std::ranges::none_of(names.cells, is_number);
    });
  };
  constexpr int most_lines = 1000;
  std::size_t line = at;
  for (int i = 0; i < most_lines && line < text.size(); ++i) {
    std::size_t next = after_line(text, line);
    const auto is_passed_over = [&](std::size_t start) {
      const std::string_view word = trim(line_at(text, start));
      return word.empty() || (options.comment && word.front() == *options.comment);
    };
    while (next < text.size() && is_passed_over(next)) next = after_line(text, next);
    if (next >= text.size()) return;  // no such line: the first is the header, as ever
    if (!is_passed_over(line) && starts_data(line, next)) {
      while (at < line) {
        add_preamble_line(text, at, found);
        at = after_line(text, at);
        ++found.data_line;
      }
      return;
    }
    line = after_line(text, line);
  }
}

}  // namespace zerobeat::detail
