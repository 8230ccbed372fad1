/// Options as text: one declaration serves the command line, the plan file,
/// `explain` and the reference.
///
/// An options struct declares its options once, in a function
/// `fields(visitor, options)` that calls the visitor for each with its name, the
/// field, what stands for its value in a usage line (empty: a flag) and a help
/// line. Each type of field has a pair `from_text` and `to_text` beside it.

#pragma once

#include <array>
#include <concepts>
#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>
#include <zerobeat/error.hpp>

namespace zerobeat {

/// `T`, const or not: what a `fields` function takes.
template <typename T, typename Struct>
concept OptionsOf = std::same_as<std::remove_const_t<T>, Struct>;

/// An enum whose words are declared by `enum_words(E{})`: an array of the words in the
/// order of the enumerators.
template <typename E>
concept WordedEnum = std::is_enum_v<E> && requires(E e) {
  enum_words(e).size();
};

void from_text(std::string_view text, bool& out);
void from_text(std::string_view text, std::int64_t& out);
void from_text(std::string_view text, int& out);
void from_text(std::string_view text, double& out);
void from_text(std::string_view text, char& out);
void from_text(std::string_view text, std::string& out);
void from_text(std::string_view text, std::vector<std::string>& out);  ///< comma-separated

std::string to_text(bool value);
std::string to_text(std::int64_t value);
std::string to_text(int value);
std::string to_text(double value);
std::string to_text(char value);
std::string to_text(const std::string& value);
std::string to_text(const std::vector<std::string>& value);

/// Splits at commas that stand outside parentheses; spaces around parts are dropped.
std::vector<std::string> split_commas(std::string_view text);

template <WordedEnum E>
void from_text(std::string_view text, E& out) {
  const auto words = enum_words(E{});
  for (std::size_t i = 0; i < words.size(); ++i) {
    if (words[i] == text) {
      out = static_cast<E>(i);
      return;
    }
  }
  const std::vector<std::string> candidates(words.begin(), words.end());
  fail_usage("\"{}\" is not a choice{}", text, did_you_mean(text, candidates));
}

template <WordedEnum E>
std::string to_text(E value) {
  return std::string(enum_words(E{})[static_cast<std::size_t>(value)]);
}

/// The words of an enum with bars between: "start|middle|end".
template <WordedEnum E>
std::string choices(E) {
  std::string all;
  for (const auto word : enum_words(E{})) {
    if (!all.empty()) all += '|';
    all += word;
  }
  return all;
}

template <typename T>
void from_text(std::string_view text, std::optional<T>& out) {
  T value{};
  from_text(text, value);
  out = std::move(value);
}

template <typename T>
std::string to_text(const std::optional<T>& value) {
  return value ? to_text(*value) : std::string();
}

/// One option of an options struct that is bound to a live object.
struct BoundOption {
  std::string name{};        ///< long name, without dashes
  std::string value_name{};  ///< what stands for its value; empty for a flag
  std::string help{};
  std::function<void(std::string_view)> set;  ///< reads a value; throws Error when it can't
  std::function<std::string()> get;           ///< the value as text; empty when unset
};

namespace detail {

/// Gathers what `fields` declares. Proxies (fields made of two members) come by value.
struct OptionGatherer {
  std::vector<BoundOption>& into;

  template <typename Field>
  void operator()(const char* name, Field&& field, std::string value_name, const char* help) const {
    if constexpr (std::is_lvalue_reference_v<Field>) {
      auto* at = &field;
      into.push_back({name, std::move(value_name), help,
                      [at](std::string_view text) { from_text(text, *at); },
                      [at] { return to_text(*at); }});
    } else {
      into.push_back({name, std::move(value_name), help,
                      [field](std::string_view text) mutable { from_text(text, field); },
                      [field] { return to_text(field); }});
    }
  }
};

}  // namespace detail

/// The options of a struct, bound to `options`, in the order declared.
template <typename Options>
std::vector<BoundOption> bind_options(Options& options) {
  std::vector<BoundOption> bound;
  fields(detail::OptionGatherer{bound}, options);
  return bound;
}

/// "how=linear max-gap=1h": the options that are set, in the order declared.
template <typename Options>
std::string describe_options(const Options& options) {
  Options copy = options;
  Options plain{};
  const auto set = bind_options(copy);
  const auto defaults = bind_options(plain);
  std::string all;
  for (std::size_t i = 0; i < set.size(); ++i) {
    const std::string value = set[i].get();
    if (value == defaults[i].get()) continue;
    if (!all.empty()) all += ' ';
    all += set[i].name + "=" + value;
  }
  return all;
}

}  // namespace zerobeat
