/// Options as text: one declaration serves the command line, the plan file,
/// `explain` and the reference.
///
/// An options struct declares its options once, in a function
/// `fields(visitor, options)` that calls the visitor for each with its name, the
/// field, what stands for its value in a usage line (empty: a flag) and a help
/// line. Each type of field has a pair `from_text` and `to_text` beside it.
///
/// Threads may call these at the same time.

#pragma once

#include <array>
#include <concepts>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <type_traits>
#include <utility>
#include <variant>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// `T`, const or not: what a `fields` function takes.
template <typename T, typename Struct>
concept OptionsOf = std::same_as<std::remove_const_t<T>, Struct>;

/// An enum whose words are declared by `enum_words(E{})`: an array of the words in the
/// order of the enumerators.
template <typename E>
concept WordedEnum = std::is_enum_v<E> && requires(E e) {
  enum_words(e).size();
};

/// A file that an option names, to read from. Options of this type and the next are how a plan
/// knows which paths it touches.
struct InFile {
  std::string path{};

  InFile() = default;
  InFile(std::string name) : path(std::move(name)) {}  // NOLINT: meant to convert
  InFile(const char* name) : path(name) {}             // NOLINT

  [[nodiscard]] bool empty() const { return path.empty(); }
  friend bool operator==(const InFile&, const InFile&) = default;
};

/// A file that an option names, to write to.
struct OutFile {
  std::string path{};

  OutFile() = default;
  OutFile(std::string name) : path(std::move(name)) {}  // NOLINT: meant to convert
  OutFile(const char* name) : path(name) {}             // NOLINT

  [[nodiscard]] bool empty() const { return path.empty(); }
  friend bool operator==(const OutFile&, const OutFile&) = default;
};

/// Whether a plan may write a bare number for an option of this type, as for a window of rows.
template <typename T>
inline constexpr bool takes_numbers = false;

/// Whether a plan may write a whole number, and nothing else, for an option of this type.
template <typename T>
inline constexpr bool takes_whole_numbers = std::is_integral_v<T> && !std::is_same_v<T, char>;

/// Whether a plan may write a list for an option of this type, as for a lower and an upper bound.
template <typename T>
inline constexpr bool takes_lists = false;

/// Whether an option of this type is a flag that a word may follow; then a plan may write true or
/// false for it as well.
template <typename T>
inline constexpr bool takes_flags = false;

/// Whether an option of this type may be given again for more.
template <typename T>
inline constexpr bool may_repeat = false;

/// One of several ways to do a thing, each an option of its own: an alternative of a variant whose
/// first is std::monostate, as `fields` gives it to its visitor. `ways` names them all; a second
/// one is refused with it.
template <typename T, typename Variant>
struct Way {
  Variant* to;
  const Variant* from;
  std::string_view ways;
};

template <typename T, typename... All>
Way<T, std::variant<All...>> way(std::variant<All...>& field, std::string_view ways) {
  return {&field, &field, ways};
}
template <typename T, typename... All>
Way<T, std::variant<All...>> way(const std::variant<All...>& field, std::string_view ways) {
  return {nullptr, &field, ways};
}

template <typename T, typename Variant>
void from_text(std::string_view text, Way<T, Variant>& out) {
  if (!std::holds_alternative<std::monostate>(*out.to) && !std::holds_alternative<T>(*out.to)) {
    throw Error(Error::Kind::usage, std::string(out.ways) + ", not several");
  }
  T value{};
  from_text(text, value);
  *out.to = std::move(value);
}

template <typename T, typename Variant>
[[nodiscard]] std::string to_text(const Way<T, Variant>& way) {
  const T* value = std::get_if<T>(way.from);
  return value == nullptr ? std::string() : to_text(*value);
}

void from_text(std::string_view text, InFile& out);
void from_text(std::string_view text, OutFile& out);
[[nodiscard]] std::string to_text(const InFile& file);
[[nodiscard]] std::string to_text(const OutFile& file);

void from_text(std::string_view text, bool& out);
void from_text(std::string_view text, std::int64_t& out);
void from_text(std::string_view text, int& out);
void from_text(std::string_view text, double& out);
void from_text(std::string_view text, char& out);
void from_text(std::string_view text, std::string& out);
void from_text(std::string_view text, std::vector<std::string>& out);  ///< comma-separated

[[nodiscard]] std::string to_text(bool value);
[[nodiscard]] std::string to_text(std::int64_t value);
[[nodiscard]] std::string to_text(int value);
[[nodiscard]] std::string to_text(double value);
[[nodiscard]] std::string to_text(char value);
[[nodiscard]] std::string to_text(const std::string& value);
[[nodiscard]] std::string to_text(const std::vector<std::string>& value);

/// Splits at commas that stand outside parentheses and outside double quotes; spaces around parts
/// are dropped, quotes stay. Throws Error of kind usage when a quote is not closed.
[[nodiscard]] std::vector<std::string> split_commas(std::string_view text);

/// Splits a list of names: what stands in double quotes is one name, with commas and all, a quote
/// within it doubled. Throws Error of kind usage when a quote is not closed.
[[nodiscard]] std::vector<std::string> split_names(std::string_view text, char separator = ',');

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
  throw Error(Error::Kind::usage,
              '"' + std::string(text) + "\" is not a choice" + did_you_mean(text, candidates));
}

template <WordedEnum E>
[[nodiscard]] std::string to_text(E value) {
  const auto words = enum_words(E{});
  const auto place = static_cast<std::size_t>(value);
  if (place >= words.size()) {
    throw Error(Error::Kind::usage,
                "the enumerator " + std::to_string(place) + " is none of its type");
  }
  return std::string(words[place]);
}

/// The words of an enum with bars between: "start|middle|end".
template <WordedEnum E>
[[nodiscard]] std::string choices(E) {
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
[[nodiscard]] std::string to_text(const std::optional<T>& value) {
  return value ? to_text(*value) : std::string();
}

/// What a plan may write for an option's value.
enum class OptionType {
  flag,    ///< true or false
  whole,   ///< a whole number
  number,  ///< a number
  text,    ///< text
  list,    ///< text, or a list of texts
  names,   ///< names with commas between, or a list of them
  either,  ///< text or a number, such as a window
  word,    ///< true or false, or text: a flag that a word may follow
};

/// What an option does with the file that it names.
enum class FileRole { none, input, output };

namespace detail {

/// What a field's type is to a plan file, and its role when it names a file.
template <typename T>
struct OptionTraits {
  static constexpr OptionType type = std::is_same_v<T, bool>       ? OptionType::flag
                                     : takes_whole_numbers<T>      ? OptionType::whole
                                     : std::is_floating_point_v<T> ? OptionType::number
                                     : takes_lists<T>              ? OptionType::list
                                     : takes_numbers<T>            ? OptionType::either
                                     : takes_flags<T>              ? OptionType::word
                                                                   : OptionType::text;
  static constexpr FileRole role = std::is_same_v<T, InFile>    ? FileRole::input
                                   : std::is_same_v<T, OutFile> ? FileRole::output
                                                                : FileRole::none;
};
template <typename T>
struct OptionTraits<std::optional<T>> : OptionTraits<T> {};
template <typename T, typename Variant>
struct OptionTraits<Way<T, Variant>> : OptionTraits<T> {};
template <typename T>
struct OptionTraits<std::vector<T>> {
  static constexpr OptionType type =
      std::is_same_v<T, std::string> ? OptionType::names : OptionType::list;
  static constexpr FileRole role = FileRole::none;
};

}  // namespace detail

/// How a field of this type is read and written: by `from_text` and `to_text` beside the type, as
/// whole numbers and numbers of any size are. Rooms below specialise it for types of others.
template <typename T>
struct OptionText {
  static void read(std::string_view text, T& out) {
    if constexpr (std::is_integral_v<T> && !std::is_same_v<T, bool> && !std::is_same_v<T, char>) {
      std::int64_t whole = 0;
      from_text(text, whole);
      if (!std::in_range<T>(whole)) {
        throw Error(Error::Kind::usage, '"' + std::string(text) + "\" is out of range");
      }
      out = static_cast<T>(whole);
    } else if constexpr (std::is_floating_point_v<T>) {
      double number = 0;
      from_text(text, number);
      out = static_cast<T>(number);
    } else if constexpr (requires { from_text(text, out); }) {
      from_text(text, out);
    } else {
      static_assert(sizeof(T) == 0, "an option's type has from_text and to_text beside it");
    }
  }
  [[nodiscard]] static std::string write(const T& value) {
    if constexpr (std::is_integral_v<T> && !std::is_same_v<T, bool> && !std::is_same_v<T, char>) {
      return to_text(static_cast<std::int64_t>(value));
    } else if constexpr (std::is_floating_point_v<T>) {
      return to_text(static_cast<double>(value));
    } else if constexpr (requires { to_text(value); }) {
      return to_text(value);
    } else {
      return {};  // read() has said what is missing
    }
  }
};
template <typename T>
struct OptionText<std::optional<T>> {
  static void read(std::string_view text, std::optional<T>& out) {
    T value{};
    OptionText<T>::read(text, value);
    out = std::move(value);
  }
  [[nodiscard]] static std::string write(const std::optional<T>& value) {
    return value ? OptionText<T>::write(*value) : std::string();
  }
};

/// One option of an options struct that is bound to a live object.
struct BoundOption {
  std::string name{};        ///< long name, without dashes
  std::string value_name{};  ///< what stands for its value; empty for a flag
  std::string help{};
  OptionType type = OptionType::text;
  FileRole role = FileRole::none;
  bool repeats = false;           ///< may be given again, for more
  std::shared_ptr<void> field{};  ///< not owned, but for a proxy
  void (*read)(void* field, std::string_view text) = nullptr;
  std::string (*write)(const void* field) = nullptr;

  /// Reads a value; throws Error when it can't be read.
  void set(std::string_view text) const { read(field.get(), text); }
  /// The value as text; empty when unset.
  [[nodiscard]] std::string get() const { return write(field.get()); }
};

namespace detail {

/// Gathers what `fields` declares. Proxies (fields made of two members) come by value.
struct OptionGatherer {
  std::vector<BoundOption>& into;

  template <typename Field>
  void operator()(const char* name, Field&& field, std::string value_name, const char* help) const {
    using Value = std::remove_cvref_t<Field>;
    std::shared_ptr<void> at;
    if constexpr (std::is_lvalue_reference_v<Field>) {
      at = std::shared_ptr<void>(std::shared_ptr<void>(), &field);
    } else {
      at = std::make_shared<Value>(field);
    }
    into.push_back({name, std::move(value_name), help, OptionTraits<Value>::type,
                    OptionTraits<Value>::role, may_repeat<Value>, std::move(at),
                    [](void* value, std::string_view text) {
                      OptionText<Value>::read(text, *static_cast<Value*>(value));
                    },
                    [](const void* value) {
                      return OptionText<Value>::write(*static_cast<const Value*>(value));
                    }});
  }
};

}  // namespace detail

/// The options of a struct, bound to `options`, in the order declared.
template <typename Options>
[[nodiscard]] std::vector<BoundOption> bind_options(Options& options) {
  std::vector<BoundOption> bound;
  fields(detail::OptionGatherer{bound}, options);
  return bound;
}

/// "how=linear max-gap=1h": the options that are set, in the order declared.
template <typename Options>
[[nodiscard]] std::string describe_options(const Options& options) {
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

}  // namespace v1
}  // namespace zerobeat
