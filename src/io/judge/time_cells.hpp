/// Times in several cells: how the cells are put together to one text.

#pragma once

#include <functional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct Layout;
class MissingWords;

/// How the cells of a time are joined.
struct TimeJoin {
  std::vector<std::string> between{};  ///< what stands between one cell and the next
  std::string tail{};                  ///< what follows the last: the minutes of a bare hour
  bool pads = false;                   ///< numbers of one digit get a zero before them
  std::vector<std::size_t> order{};    ///< of the cells as they were named; empty: as they are
};

/// With one space between cells, as a pattern sees them.
TimeJoin plain_join(std::size_t cells);

/// By what the columns are called (year, month, day, hour, minute, second, and what is short for
/// them) and by samples of each: numbers in that order are joined as ISO 8601 has them, a month's
/// name stands between day and year. What is called otherwise is joined by spaces.
TimeJoin find_time_join(const std::vector<std::string>& names,
                        const std::vector<std::vector<std::string>>& samples);

/// Puts the layout's time cells into the order of its join.
void order_time_cells(Layout& layout);

/// The time of a record whose parts stand in several cells, as one text; empty when one is missing.
std::string_view joined_time(const Layout& layout, const MissingWords& missing_words,
                             const std::function<std::string_view(std::size_t)>& cell,
                             std::string& out);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
