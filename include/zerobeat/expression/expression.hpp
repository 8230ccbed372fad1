/// Expressions: values and conditions computed from the readings of a row.
///
/// One small language serves whatever asks for a condition or a value: numbers, columns, texts in
/// single quotes, arithmetic, comparisons, `and or not`, functions of numbers, the parts of the
/// row's time by the zone's clocks, and readings of the strand at a fixed time (`price@2025-01`).
/// An expression is parsed once; it is bound to a timeline and evaluated block by block, never row
/// by row.
///
/// What is missing makes the result missing, but in `known`, `coalesce`, the branch of `if` that
/// is not taken, `false and …` and `true or …` (the three-valued logic of Kleene 1938). A number
/// that is not finite is missing, wherever in the expression it comes about.

#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

namespace detail {
struct Node;
}

/// An expression, parsed. A value; copies share the tree.
class Expression {
 public:
  /// None at all.
  Expression() = default;
  /// Throws Error with the place of the mistake, and a caret under it.
  Expression(std::string text);                                         // NOLINT: meant to
  Expression(const char* text) : Expression(std::string(text)) {}       // NOLINT: convert
  Expression(std::string_view text) : Expression(std::string(text)) {}  // NOLINT

  [[nodiscard]] const std::string& text() const { return text_; }
  [[nodiscard]] bool empty() const { return tree_ == nullptr; }
  /// The names that it reads, each once, in order of appearance.
  [[nodiscard]] std::vector<std::string> columns() const;
  /// How far from its row it looks: `elapsed()`, `row()` and `@first` look back over the strand,
  /// `@T` and `@last` ahead as well.
  [[nodiscard]] Reach reach() const;

  friend bool operator==(const Expression& a, const Expression& b) { return a.text_ == b.text_; }

 private:
  friend struct ExpressionTree;
  std::string text_{};
  std::shared_ptr<const detail::Node> tree_{};
};

void from_text(std::string_view text, Expression& out);
[[nodiscard]] inline std::string to_text(const Expression& expression) { return expression.text(); }

/// What an expression came to.
struct Evaluated {
  Column column{};              ///< numbers, or booleans
  std::int64_t not_finite = 0;  ///< results that are missing because a number was not finite
};

/// The value of an expression at each row of a timeline: numbers, or booleans when it is a
/// condition.
///
/// Cost: a pass over each column that it names, in blocks that stay in the first cache, side by
/// side; no allocation for a row. Parts of the clock cost some nanoseconds a row. The result is the
/// same at any number of threads.
/// Throws Error when a column is absent, types do not go together, or a text would be the result,
/// with the place in the expression.
[[nodiscard]] Evaluated evaluate(const Expression& expression, const Timeline& timeline);

/// At which rows a condition holds: a bit for each row, least significant first, bits past the end
/// clear. A condition that is missing does not hold; `not_finite`, unless null, is set to how many
/// are missing because a number was not finite.
/// Throws Error as evaluate() does, and when it is a number.
[[nodiscard]] Buffer<std::uint64_t> rows_where(const Expression& condition,
                                               const Timeline& timeline,
                                               std::int64_t* not_finite = nullptr);

/// The names of an assignment `NAME=EXPRESSION`, such as `level_ft=level_m*3.2808`.
struct Assignment {
  std::string name{};
  Expression value{};

  friend bool operator==(const Assignment&, const Assignment&) = default;
};

/// Reads one; the name may stand in double quotes.
void from_text(std::string_view text, Assignment& out);
[[nodiscard]] std::string to_text(const Assignment& assignment);

template <>
inline constexpr bool may_repeat<std::vector<Assignment>> = true;

/// Reads several with commas between: commas within brackets and quotes are the expressions' own.
void from_text(std::string_view text, std::vector<Assignment>& out);
[[nodiscard]] std::string to_text(const std::vector<Assignment>& all);

}  // namespace v1
}  // namespace zerobeat
