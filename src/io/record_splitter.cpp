#include "io/record_splitter.hpp"

namespace zerobeat::detail {

LooseRecord read_loose_record(std::string_view text, std::size_t begin, char delimiter,
                              char quote) {
  LooseRecord record;
  std::deque<std::string> unquoted;
  const Splitter splitter{text, delimiter, quote, &unquoted};
  std::size_t raw_end = 0;
  const bool whole = splitter.split(
      begin, record.end, raw_end, [&](const Cell& cell) { record.cells.emplace_back(cell.text); });
  record.broken = !whole;
  record.blank = is_blank(text.substr(begin, raw_end - begin), delimiter);
  return record;
}

std::size_t raw_record_length(std::string_view text, std::size_t begin, char delimiter,
                              char quote) {
  std::deque<std::string> unquoted;
  const Splitter splitter{text, delimiter, quote, &unquoted};
  std::size_t end = 0, raw_end = 0;
  splitter.split(begin, end, raw_end, [](const Cell&) {});
  return raw_end - begin;
}

}  // namespace zerobeat::detail
