#include "io/judge/row_source.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/time_form.hpp>

namespace zerobeat::inline v1::detail {

namespace {

std::string time_text(std::int64_t nanoseconds, bool local, bool date) {
  const Instant t = instant_of(nanoseconds);
  char text[longest_instant];
  const char* const end = write_instant(text, t, digits_needed(t), nullptr);
  std::string out(static_cast<const char*>(text), end);
  if (local && !out.empty() && out.back() == 'Z') out.pop_back();
  if (date && out.size() > 10) out.resize(10);
  return out;
}

}  // namespace

std::string cell_text(const RowColumn& column, const RowBatch::Cells& cells, std::size_t row) {
  const auto is_in = [&](const std::vector<std::uint32_t>& rows) {
    return std::ranges::binary_search(rows, static_cast<std::uint32_t>(row));
  };
  if (is_in(cells.missing)) return {};
  if (is_in(cells.out_of_range)) return "out of range";
  const RowType type = column.type == RowType::mixed ? cells.types[row] : column.type;
  switch (type) {
    case RowType::integer:
      return fmt::to_string(static_cast<std::int64_t>(cells.bits[row]));
    case RowType::number:
      return fmt::format("{}", std::bit_cast<double>(cells.bits[row]));
    case RowType::boolean:
      return cells.bits[row] != 0 ? "true" : "false";
    case RowType::instant:
      return time_text(static_cast<std::int64_t>(cells.bits[row]), false, false);
    case RowType::local:
      return time_text(static_cast<std::int64_t>(cells.bits[row]), true, column.is_date);
    default:
      return std::string(cells.texts[row]);
  }
}

}  // namespace zerobeat::detail
