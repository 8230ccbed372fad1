#include "plan/toml_value.hpp"

#include <fmt/format.h>

#include <vector>

#include "base/names.hpp"

namespace zerobeat::inline v1::detail {

std::optional<std::string> text_of(const toml::node& value, OptionType type) {
  if (const auto* truth = value.as_boolean()) {
    if (type != OptionType::flag && type != OptionType::word) return std::nullopt;
    return truth->get() ? "true" : "false";
  }
  if (type == OptionType::flag) return std::nullopt;
  if (const auto* text = value.as_string()) {
    if (type == OptionType::whole || type == OptionType::number) return std::nullopt;
    return text->get();
  }
  if (const auto* whole = value.as_integer()) {
    if (type == OptionType::text || type == OptionType::word) return std::nullopt;
    return fmt::format("{}", whole->get());
  }
  if (const auto* number = value.as_floating_point()) {
    if (type == OptionType::text || type == OptionType::word || type == OptionType::whole) {
      return std::nullopt;
    }
    return fmt::format("{}", number->get());
  }
  const auto* list = value.as_array();
  if (list == nullptr || (type != OptionType::list && type != OptionType::names)) {
    return std::nullopt;
  }
  std::vector<std::string> all;
  for (const auto& item : *list) {
    auto text = item.is_array() ? std::nullopt : text_of(item, OptionType::list);
    if (!text) return std::nullopt;
    all.push_back(type == OptionType::names ? quoted_where_needed(*text, ",()") : std::move(*text));
  }
  return fmt::format("{}", fmt::join(all, ","));
}

std::string_view words_of(OptionType type) {
  constexpr std::string_view words[] = {"true or false",
                                        "a whole number",
                                        "a number",
                                        "text in quotes",
                                        "text in quotes, or a list of such",
                                        "text in quotes, or a list of such",
                                        "text in quotes, or a number",
                                        "true or false, or a word in quotes"};
  return words[static_cast<std::size_t>(type)];
}

}  // namespace zerobeat::detail
