#include "io/text/record_splitter.hpp"

namespace zerobeat::inline v1::detail {

LooseRecord read_loose_record(std::string_view text, std::size_t begin, char delimiter, char quote,
                              bool runs) {
  LooseRecord record;
  std::deque<std::string> unquoted;
  const Splitter splitter{text, delimiter, quote, &unquoted};
  std::size_t raw_end = 0;
  const auto put = [&](const Cell& cell) { record.cells.emplace_back(cell.text); };
  const bool whole = runs ? split_runs(splitter, begin, record.end, raw_end, put)
                          : splitter.split(begin, record.end, raw_end, put);
  record.broken = !whole;
  record.blank = is_blank(text.substr(begin, raw_end - begin), runs ? ' ' : delimiter);
  return record;
}

std::size_t raw_record_length(std::string_view text, std::size_t begin, char delimiter, char quote,
                              bool runs) {
  std::deque<std::string> unquoted;
  const Splitter splitter{text, delimiter, quote, &unquoted};
  std::size_t end = 0, raw_end = 0;
  const auto put = [](const Cell&) {};
  runs ? split_runs(splitter, begin, end, raw_end, put) : splitter.split(begin, end, raw_end, put);
  return raw_end - begin;
}

}  // namespace zerobeat::detail
