#include "io/judge/time_cells.hpp"

#include <algorithm>
#include <array>
#include <optional>

#include "base/trim.hpp"
#include "io/text/chunk.hpp"

namespace zerobeat::inline v1::detail {

namespace {

enum class Role { year, month, day, day_of_year, hour, minute, second };

std::optional<Role> role_of(const std::string& name) {
  std::string plain;
  for (const char c : name) {
    if (c == ' ' || c == '_' || c == '-') continue;
    plain += static_cast<char>(c >= 'A' && c <= 'Z' ? c - 'A' + 'a' : c);
  }
  struct Word {
    std::string_view text;
    Role role;
  };
  static constexpr std::array words{Word{"year", Role::year},
                                    Word{"yr", Role::year},
                                    Word{"yyyy", Role::year},
                                    Word{"y", Role::year},
                                    Word{"m", Role::month},
                                    Word{"d", Role::day},
                                    Word{"h", Role::hour},
                                    Word{"month", Role::month},
                                    Word{"mon", Role::month},
                                    Word{"mo", Role::month},
                                    Word{"mm", Role::month},
                                    Word{"day", Role::day},
                                    Word{"dd", Role::day},
                                    Word{"dom", Role::day},
                                    Word{"dayofmonth", Role::day},
                                    Word{"doy", Role::day_of_year},
                                    Word{"dayofyear", Role::day_of_year},
                                    Word{"yearday", Role::day_of_year},
                                    Word{"hour", Role::hour},
                                    Word{"hr", Role::hour},
                                    Word{"hh", Role::hour},
                                    Word{"minute", Role::minute},
                                    Word{"min", Role::minute},
                                    Word{"second", Role::second},
                                    Word{"sec", Role::second},
                                    Word{"ss", Role::second}};
  const auto at = std::ranges::find(words, std::string_view(plain), &Word::text);
  return at == words.end() ? std::nullopt : std::optional(at->role);
}

bool is_whole(std::string_view text) {
  text = trim(text);
  return !text.empty() && text.find_first_not_of("0123456789") == std::string_view::npos;
}

bool are_whole(const std::vector<std::string>& samples) {
  return !samples.empty() && std::ranges::all_of(samples, is_whole);
}

}  // namespace

TimeJoin plain_join(std::size_t cells) {
  TimeJoin join;
  join.between.assign(cells - 1, " ");
  return join;
}

TimeJoin find_time_join(const std::vector<std::string>& names,
                        const std::vector<std::vector<std::string>>& samples) {
  const std::size_t n = names.size();
  TimeJoin join = plain_join(n);
  std::vector<std::optional<Role>> roles;
  for (const auto& name : names) roles.push_back(role_of(name));
  const auto with_role = [&](Role role) -> std::optional<std::size_t> {
    const auto at = std::ranges::find(roles, std::optional(role));
    if (at == roles.end()) return std::nullopt;
    return static_cast<std::size_t>(at - roles.begin());
  };
  // Hours, minutes and seconds in numbers, after a date that is a cell of its own or several.
  std::vector<std::size_t> clock;
  for (const Role role : {Role::hour, Role::minute, Role::second}) {
    const auto at = with_role(role);
    if (!at) break;
    if (!are_whole(samples[*at]) && role != Role::second) break;
    clock.push_back(*at);
  }
  std::vector<std::size_t> date;
  std::string mark = "-";
  const auto year = with_role(Role::year), month = with_role(Role::month),
             day = with_role(Role::day);
  const auto day_of_year = with_role(Role::day_of_year);
  if (year && month && are_whole(samples[*month])) {
    date = {*year, *month};
    if (day) date.push_back(*day);
  } else if (year && month) {
    mark = " ";
    date = day ? std::vector{*day, *month, *year} : std::vector{*month, *year};
  } else if (year && day_of_year) {
    date = {*year, *day_of_year};
  } else if (!clock.empty() && clock.size() + 1 == n) {
    for (std::size_t i = 0; i < n; ++i) {
      if (std::ranges::find(clock, i) == clock.end()) date = {i};
    }
  }
  // A clock that is written as such stands last.
  std::vector<std::size_t> order = date;
  order.insert(order.end(), clock.begin(), clock.end());
  for (std::size_t i = 0; i < n; ++i) {
    if (std::ranges::find(order, i) == order.end()) order.push_back(i);
  }
  if (date.empty() || order.size() != n) return join;
  const std::size_t in_numbers = date.size() + clock.size();
  if (in_numbers + 1 < n) return join;
  join.order = order;
  join.pads = true;
  for (std::size_t i = 0; i + 1 < n; ++i) {
    if (i + 1 < date.size()) {
      join.between[i] = mark;
    } else if (i + 1 == date.size()) {
      join.between[i] = " ";
    } else {
      join.between[i] = i + 1 < in_numbers ? ":" : " ";
    }
  }
  if (clock.size() == 1 && in_numbers == n) join.tail = ":00";
  return join;
}

void order_time_cells(Layout& layout) {
  const auto& order = layout.time_join.order;
  if (order.empty()) return;
  std::vector<std::size_t> cells;
  for (const std::size_t i : order) cells.push_back(layout.time_cells[i]);
  layout.time_cells = std::move(cells);
}

std::string_view joined_time(const Layout& layout, const MissingWords& missing_words,
                             const std::function<std::string_view(std::size_t)>& cell,
                             std::string& out) {
  const TimeJoin& join = layout.time_join;
  if (layout.time_cells.size() == 1) {
    const std::string_view text = cell(layout.time_cells[0]);
    return missing_words.holds(text) ? std::string_view() : text;
  }
  out.clear();
  for (std::size_t i = 0; i < layout.time_cells.size(); ++i) {
    const std::string_view part = trim(cell(layout.time_cells[i]));
    if (missing_words.holds(part)) return {};
    if (i > 0) out += join.between[i - 1];
    const bool one_digit =
        part.size() == 1 || (part.size() > 1 && (part[1] < '0' || part[1] > '9'));
    if (join.pads && one_digit && part[0] >= '0' && part[0] <= '9') out += '0';
    out += part;
  }
  out += join.tail;
  return out;
}

}  // namespace zerobeat::detail
