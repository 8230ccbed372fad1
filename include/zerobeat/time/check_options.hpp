/// What no option may be, whichever step has it: looked at when a step is applied, so that a
/// program's options are judged as those of a command line are when they are read.
///
/// Values: threads may share them, and what they return is a copy.

#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <type_traits>
#include <variant>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Throw Error of kind usage, naming the option, when a length of time or a number of rows is
/// negative, or a number is not a number.
void check_option(std::string_view name, const Period& period);
void check_option(std::string_view name, const Extent& extent);
void check_option(std::string_view name, const Extents& extents);
void check_option(std::string_view name, double number);

/// Refuses a value that is none of an enum's words.
[[noreturn]] void fail_enum(std::string_view name, long long value);
template <WordedEnum E>
void check_option(std::string_view name, E value) {
  const auto number = static_cast<long long>(value);
  if (number < 0 || number >= static_cast<long long>(enum_words(E{}).size())) {
    fail_enum(name, number);
  }
}

/// A field of any type; of what is none of the above nothing is asked.
template <typename T>
void check_field(std::string_view name, const T& field);
template <typename T>
void check_field(std::string_view name, const std::optional<T>& field);
template <typename... All>
void check_field(std::string_view name, const std::variant<All...>& field);
template <typename T, typename Variant>
void check_field(std::string_view name, const Way<T, Variant>& way);

template <typename T>
void check_field(std::string_view name, const T& field) {
  if constexpr (requires { field.levels.begin(); }) {
    for (const Period& period : field.levels) check_option(name, period);
  } else if constexpr (requires { check_option(name, field); }) {
    check_option(name, field);
  }
}
template <typename T>
void check_field(std::string_view name, const std::optional<T>& field) {
  if (field) check_field(name, *field);
}
template <typename... All>
void check_field(std::string_view name, const std::variant<All...>& field) {
  std::visit([&](const auto& held) { check_field(name, held); }, field);
}
template <typename T, typename Variant>
void check_field(std::string_view name, const Way<T, Variant>& way) {
  if (const T* const held = std::get_if<T>(way.from)) check_field(name, *held);
}

struct OptionChecker {
  template <typename Field>
  void operator()(const char* name, Field&& field, std::string_view, std::string_view) const {
    check_field(name, field);
  }
};

/// Looks at each option that `fields` declares.
template <typename Options>
void check_options(const Options& options) {
  fields(OptionChecker{}, options);
}

/// The options of a step that is about to be applied, as text.
template <typename Options>
[[nodiscard]] std::string checked_text(const Options& options) {
  check_options(options);
  return describe_options(options);
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
