/// The one exception of the library, and help for words that were nearly right.
///
/// Bad use throws Error: an unknown column, a period that can't be read, a file
/// that is not there. Bad data does not throw; it goes into the account.

#pragma once

#include <fmt/core.h>

#include <memory>
#include <span>
#include <stdexcept>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// What was asked could not be done. `what()` names the value that was wrong, where it was, and
/// what would be right; options are named as ‹max_gap›, which with_dashes() makes --max-gap of.
///
/// Messages are of one form, `place: ‹option› value: what is wrong; what would be right`, any of
/// which may be absent; the members below are these parts of the first line. Whoever throws gives
/// them, as fail_usage() and its like do; an Error made of a text alone reads them out of it. An
/// Error that a step of a program's own caused holds what was thrown as its nested exception
/// (std::nested_exception). A value; copies share the text. Threads may read one at the same time.
class Error : public std::runtime_error {
 public:
  /// Whose fault it is. The values are the exit codes of the tool.
  enum class Kind {
    usage = 2,   ///< the library or the tool was used wrongly
    input = 3,   ///< the input can't be read at all
    limit = 4,   ///< the data passed a limit that the user set
    output = 5,  ///< the output can't be written
  };

  /// The parts of a message; each empty where the message has none.
  struct Parts {
    std::string place{}, option{}, value{}, remedy{};
  };

  Error(Kind kind, const std::string& what);
  Error(Kind kind, const std::string& what, Parts parts);
  Error(const Error&) = default;  // none is moved from: each has its parts
  Error& operator=(const Error&) = default;

  /// This error, and where it was: `place: what()`.
  [[nodiscard]] Error at(std::string_view place) const;

  [[nodiscard]] Kind kind() const noexcept { return kind_; }
  [[nodiscard]] const Parts& parts() const& noexcept { return *parts_; }
  const Parts& parts() const&& = delete;
  /// The option that is wrong, as its field is called: "max_gap"; empty when it is none.
  [[nodiscard]] std::string option() const { return parts_->option; }
  /// The value of that option, or else the first thing that the message has in double quotes.
  [[nodiscard]] std::string value() const { return parts_->value; }
  /// Where it was: a file, a line, a series and a step, with colons between.
  [[nodiscard]] std::string place() const { return parts_->place; }
  /// What would be right: what follows the semicolon; empty when the message does not say.
  [[nodiscard]] std::string remedy() const { return parts_->remedy; }

 private:
  Kind kind_;
  std::shared_ptr<const Parts> parts_;
};

namespace detail {

/// An Error whose parts are told apart by the format, so that colons and semicolons within the
/// arguments divide nothing.
[[nodiscard]] Error formatted_error(Error::Kind kind, fmt::string_view format,
                                    fmt::format_args arguments);

}  // namespace detail

/// Throws an Error of kind usage with a formatted message.
template <typename... Args>
[[noreturn]] void fail_usage(fmt::format_string<Args...> format, Args&&... args) {
  throw detail::formatted_error(Error::Kind::usage, format, fmt::make_format_args(args...));
}

/// Throws an Error of kind input with a formatted message.
template <typename... Args>
[[noreturn]] void fail_input(fmt::format_string<Args...> format, Args&&... args) {
  throw detail::formatted_error(Error::Kind::input, format, fmt::make_format_args(args...));
}

/// Throws an Error of kind output with a formatted message.
template <typename... Args>
[[noreturn]] void fail_output(fmt::format_string<Args...> format, Args&&... args) {
  throw detail::formatted_error(Error::Kind::output, format, fmt::make_format_args(args...));
}

/// The number of single-letter edits (and swaps of neighbours) between two words, case ignored.
/// Optimal string alignment distance (Damerau 1964). Cost: the product of the lengths.
[[nodiscard]] std::size_t edit_distance(std::string_view a, std::string_view b);

/// The candidate nearest to `word`, or empty when none is near.
[[nodiscard]] std::string nearest(std::string_view word, std::span<const std::string> candidates);

/// A word that people use, and the one that is meant.
struct Synonym {
  std::string_view word, meant;
};

/// "; did you mean X?", or a list of all there is when nothing is near. Synonyms count before
/// nearness; a word of one or two letters is near nothing, unless it is a slip of order or case.
[[nodiscard]] std::string did_you_mean(std::string_view word,
                                       std::span<const std::string> candidates,
                                       std::span<const Synonym> synonyms = {});

}  // namespace v1
}  // namespace zerobeat
