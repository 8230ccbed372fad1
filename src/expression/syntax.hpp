/// The tree of an expression, as it was written, and the mistakes that are told with their place.

#pragma once

#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/expression/expression.hpp>

#include "expression/functions.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Access to the tree for what binds it.
struct ExpressionTree {
  static const detail::Node& of(const Expression& expression) { return *expression.tree_; }
};

}  // namespace v1
}  // namespace zerobeat

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

enum class Op : std::uint8_t {
  number,
  truth,
  text,
  column,
  at_time,   ///< the column's reading that stood at a time
  at_first,  ///< the strand's first reading of the column
  at_last,
  negate,
  add,
  subtract,
  multiply,
  divide,
  power,
  equal,
  unequal,
  less,
  at_most,
  more,
  at_least,
  both,     ///< and
  either,   ///< or
  inverse,  ///< not
  call,
};

struct Node {
  Op op = Op::number;
  std::size_t at = 0;     ///< its byte in the text
  std::size_t depth = 1;  ///< of the tree below, itself counted
  double number = 0;      ///< of number; of truth 0 or 1
  std::string text{};     ///< of text; the name of column; with at_time
  std::string moment{};   ///< of at_time, as written
  Function function{};    ///< of call
  std::vector<Node> args{};
};

/// Parses a whole text. Throws Error with the place.
Node parse_expression(std::string_view text);

/// Throws Error: what is wrong, then the text and a caret under the byte `at`.
[[noreturn]] void fail_at(std::string_view text, std::size_t at, const std::string& what);

/// Whether a column's name needs no quotes.
bool is_word(std::string_view name);

/// The place of the first byte in `text` that stands outside brackets and quotes and is `wanted`.
std::size_t find_outside(std::string_view text, char wanted, std::size_t from = 0);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
