/// Values of a plan's file as the texts of options.

#pragma once

#include <toml++/toml.h>

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The line that a value or a key stands in.
[[nodiscard]] inline std::int64_t line_of(const toml::node& node) {
  return static_cast<std::int64_t>(node.source().begin.line);
}
[[nodiscard]] inline std::int64_t line_of(const toml::key& key) {
  return static_cast<std::int64_t>(key.source().begin.line);
}

/// A value as the text of an option, when it is of the option's type.
[[nodiscard]] std::optional<std::string> text_of(const toml::node& value, OptionType type);

/// What a value of that type is, for messages.
[[nodiscard]] std::string_view words_of(OptionType type);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
