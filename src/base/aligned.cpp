#include "base/aligned.hpp"

#include <algorithm>
#include <numeric>

namespace zerobeat::inline v1::detail {

std::size_t letters(const std::string& text) {
  return static_cast<std::size_t>(
      std::ranges::count_if(text, [](char c) { return (c & 0xc0) != 0x80; }));
}

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

namespace {

/// The narrowest that aligned() can make of some columns.
std::size_t width_of(const std::vector<std::vector<std::string>>& rows,
                     const std::vector<std::size_t>& columns) {
  std::size_t width = 0;
  for (const std::size_t c : columns) {
    std::size_t widest = 0;
    for (const auto& row : rows) widest = std::max(widest, letters(row[c]));
    width += widest + 2;
  }
  return width - std::min<std::size_t>(width, 2);
}

}  // namespace

std::string fitted(const std::vector<std::vector<std::string>>& rows,
                   const std::vector<bool>& right, std::size_t width) {
  std::vector<std::size_t> all(right.size());
  std::iota(all.begin(), all.end(), std::size_t{0});
  if (right.empty() || width_of(rows, all) <= width) return aligned(rows, right);
  std::vector<std::vector<std::string>> turned(right.size());
  for (const auto& row : rows) {
    for (std::size_t c = 0; c < row.size(); ++c) turned[c].push_back(row[c]);
  }
  std::vector<std::size_t> sides(rows.size());
  std::iota(sides.begin(), sides.end(), std::size_t{0});
  constexpr std::size_t few = 20;  // more rows than a glance holds side by side
  if (rows.size() <= few && width_of(turned, sides) <= width) {
    std::vector<bool> turned_right(rows.size(), true);
    turned_right[0] = false;
    return aligned(turned, turned_right);
  }
  std::size_t leading = 0;
  while (leading < right.size() && !right[leading]) ++leading;
  if (leading == right.size()) leading = 1;
  leading = std::min<std::size_t>(leading, 2);
  std::string out;
  for (std::size_t next = leading; next < right.size();) {
    std::vector<std::size_t> chosen(all.begin(),
                                    all.begin() + static_cast<std::ptrdiff_t>(leading));
    do {
      chosen.push_back(next++);
      if (next == right.size()) break;
      chosen.push_back(next);
      const bool fits = width_of(rows, chosen) <= width;
      chosen.pop_back();
      if (!fits) break;
    } while (true);
    std::vector<std::vector<std::string>> part;
    for (const auto& row : rows) {
      auto& own = part.emplace_back();
      for (const std::size_t c : chosen) own.push_back(row[c]);
    }
    std::vector<bool> part_right;
    for (const std::size_t c : chosen) part_right.push_back(right[c]);
    out += (out.empty() ? "" : "\n") + aligned(part, part_right);
  }
  return out;
}

}  // namespace zerobeat::detail
