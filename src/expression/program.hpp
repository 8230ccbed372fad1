/// A bound expression: what is to be done to a block of rows, one instruction after the other, on a
/// stack of slots.

#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

#include "expression/syntax.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

enum class Kind : std::uint8_t { number, truth, text };

/// Numbers, booleans and texts stand in slots; an instruction works on those from `slot` on and
/// leaves its result there.
enum class Code : std::uint8_t {
  put_number,     ///< a constant
  put_truth,      ///< a constant
  put_column,     ///< a column's readings
  put_fixed,      ///< of each strand the reading of one row
  put_key,        ///< the strand's number, as the code of a text
  put_clock,      ///< a part of the row's time
  put_elapsed,    ///< seconds since the strand's first row
  put_row,        ///< the row's number in its strand
  negate,         ///< of one number
  arithmetic,     ///< of two numbers
  apply,          ///< a function of one number
  smaller,        ///< of two numbers
  larger,         ///< of two numbers
  compare,        ///< two numbers
  compare_truth,  ///< two booleans: = or !=
  compare_text,   ///< a text with another, or with a constant: = or !=
  both,           ///< and
  either,         ///< or
  inverse,        ///< not
  choose,         ///< if: a condition and two of one kind
  known,
  coalesce,  ///< of two of one kind
};

struct Instruction {
  Code code = Code::put_number;
  Op op = Op::number;         ///< of arithmetic and comparisons
  Kind kind = Kind::number;   ///< of what is chosen or known
  std::uint32_t slot = 0;     ///< the first it works on
  double number = 0;          ///< of put_number and put_truth
  std::uint32_t column = 0;   ///< of put_column and put_fixed: its place in the program's columns
  std::uint32_t list = 0;     ///< of put_fixed: rows of strands; of compare_text: codes
  std::int32_t constant = 0;  ///< of compare_text with a constant: its code; -1: none has it
  bool with_list = false;     ///< of compare_text: the second's codes are looked up in `list`
  Function function{};        ///< of put_clock
  BlockOf block = nullptr;    ///< of apply
};

struct Program {
  std::vector<Instruction> instructions;
  std::vector<Column> columns;
  /// Of each strand the row that is fixed, or -1.
  std::vector<std::vector<std::int64_t>> rows;
  /// Of each code of a second text the code of the first; -1 when it has none.
  std::vector<std::vector<std::int32_t>> codes;
  Kind result = Kind::number;
  std::size_t slots = 0;
};

/// Binds an expression to a timeline whose value columns are `values`. Throws Error with the place.
Program bind_expression(const Expression& expression, const Timeline& timeline,
                        const Table& values);

/// evaluate(), over other value columns than the timeline's own.
Evaluated evaluate_over(const Expression& expression, const Timeline& timeline,
                        const Table& values);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
