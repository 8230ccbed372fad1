#include <fmt/format.h>

#include <zerobeat/base/text.hpp>
#include <zerobeat/view/figure.hpp>

#include "base/names.hpp"

namespace zerobeat::inline v1 {

void from_text(std::string_view text, Size& out) {
  const std::size_t cross = text.find('x');
  if (cross == std::string_view::npos)
    fail_usage("\"{}\" is not a size; write it like 1280x800", text);
  from_text(text.substr(0, cross), out.width);
  from_text(text.substr(cross + 1), out.height);
  constexpr int least = 100, most = 20'000;
  if (out.width < least || out.height < least || out.width > most || out.height > most) {
    fail_usage("\"{}\": width and height go from {} to {} pixels", text, least, most);
  }
}

std::string to_text(const Size& size) { return fmt::format("{}x{}", size.width, size.height); }

void from_text(std::string_view text, std::vector<ShownName>& out) {
  std::vector<ShownName> names;
  for (const auto& part : split_commas(text)) {
    const auto sides = detail::split_outside_quotes(part, '=');
    if (sides.size() < 2 || sides[0].empty()) {
      fail_usage("\"{}\" is no COLUMN=NAME; a name that holds a comma stands in double quotes",
                 shown(part));
    }
    const std::string column = detail::unquoted(sides[0]);
    names.push_back({column, detail::unquoted(part.substr(sides[0].size() + 1))});
  }
  out = std::move(names);
}

std::string to_text(const std::vector<ShownName>& names) {
  std::string text;
  for (const ShownName& shown_name : names) {
    if (!text.empty()) text += ',';
    text += detail::quoted_where_needed(shown_name.column, ",=()") + "=" +
            detail::quoted_where_needed(shown_name.name, ",=()");
  }
  return text;
}

namespace {

/// Two names, each of which may stand in double quotes.
ColumnPair pair_of(std::string_view text, char between, std::string_view like) {
  const auto names = split_names(text, between);
  if (names.size() != 2 || names[0].empty() || names[1].empty()) {
    fail_usage("\"{}\" is not two columns; write it like {}", shown(text), like);
  }
  return {names[0], names[1]};
}

std::string text_of(const ColumnPair& columns, char between) {
  if (columns.empty()) return {};
  return detail::quoted_where_needed(columns.first, ",:") + between +
         detail::quoted_where_needed(columns.second, ",:");
}

}  // namespace

void from_text(std::string_view text, BandColumns& out) {
  static_cast<ColumnPair&>(out) = pair_of(text, ':', "level_m_low:level_m_high");
}
std::string to_text(const BandColumns& columns) { return text_of(columns, ':'); }

void from_text(std::string_view text, ScatterColumns& out) {
  static_cast<ColumnPair&>(out) = pair_of(text, ',', "temperature_c,humidity_pct");
}
std::string to_text(const ScatterColumns& columns) { return text_of(columns, ','); }

}  // namespace zerobeat
