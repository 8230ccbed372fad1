#include "base/aligned.hpp"

#include <algorithm>

namespace zerobeat::detail {

namespace {

/// Characters, not bytes: those that do not continue one.
std::size_t letters(const std::string& text) {
  return static_cast<std::size_t>(
      std::ranges::count_if(text, [](char c) { return (c & 0xc0) != 0x80; }));
}

}  // namespace

std::string aligned(const std::vector<std::vector<std::string>>& rows, std::size_t numbers_from,
                    std::size_t text_from, const std::string& indent) {
  std::size_t columns = 0;
  for (const auto& row : rows) columns = std::max(columns, row.size());
  std::vector<bool> right(columns);
  for (std::size_t i = numbers_from; i < std::min(text_from, columns); ++i) right[i] = true;
  return aligned(rows, right, indent);
}

std::string aligned(const std::vector<std::vector<std::string>>& rows,
                    const std::vector<bool>& right, const std::string& indent) {
  std::vector<std::size_t> widths;
  for (const auto& row : rows) {
    widths.resize(std::max(widths.size(), row.size()));
    for (std::size_t i = 0; i < row.size(); ++i) widths[i] = std::max(widths[i], letters(row[i]));
  }
  std::string out;
  for (const auto& row : rows) {
    std::string line = indent;
    for (std::size_t i = 0; i < row.size(); ++i) {
      const std::string space(widths[i] - letters(row[i]), ' ');
      if (i > 0) line += "  ";
      line += right[i] ? space + row[i] : row[i] + space;
    }
    line.erase(line.find_last_not_of(' ') + 1);
    out += line + "\n";
  }
  return out;
}

}  // namespace zerobeat::detail
