/// The functions of expressions: a row each.

#pragma once

#include <array>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

enum class Function : std::uint8_t {
  abs,
  sqrt,
  exp,
  log,
  log10,
  log2,
  sin,
  cos,
  tan,
  asin,
  acos,
  atan,
  floor,
  ceil,
  round,
  sign,
  min,
  max,
  choose,  ///< if(c,a,b)
  known,
  coalesce,
  year,
  month,
  day,
  hour,
  minute,
  second,
  weekday,
  yearday,
  elapsed,
  row,
};

/// A function of one number, for a block of them.
using BlockOf = void (*)(const double* in, double* out, std::size_t count);

template <double (*F)(double)>
void for_block(const double* in, double* out, std::size_t count) {
  for (std::size_t i = 0; i < count; ++i) out[i] = F(in[i]);
}

inline double sign_of(double x) { return x > 0 ? 1 : (x < 0 ? -1 : x); }

struct FunctionRow {
  Function function;
  std::string_view word;
  std::string_view takes;  ///< what stands in its brackets, for messages
  std::size_t least, most;
  BlockOf block = nullptr;  ///< of functions of one number
};

inline constexpr std::size_t any_number = 1000;

inline double abs_of(double x) { return std::fabs(x); }
inline double sqrt_of(double x) { return std::sqrt(x); }
inline double exp_of(double x) { return std::exp(x); }
inline double log_of(double x) { return std::log(x); }
inline double log10_of(double x) { return std::log10(x); }
inline double log2_of(double x) { return std::log2(x); }
inline double sin_of(double x) { return std::sin(x); }
inline double cos_of(double x) { return std::cos(x); }
inline double tan_of(double x) { return std::tan(x); }
inline double asin_of(double x) { return std::asin(x); }
inline double acos_of(double x) { return std::acos(x); }
inline double atan_of(double x) { return std::atan(x); }
inline double floor_of(double x) { return std::floor(x); }
inline double ceil_of(double x) { return std::ceil(x); }
inline double round_of(double x) { return std::round(x); }

/// The table, in the order of the enumerators.
inline constexpr std::array functions{
    FunctionRow{Function::abs, "abs", "x", 1, 1, for_block<abs_of>},
    FunctionRow{Function::sqrt, "sqrt", "x", 1, 1, for_block<sqrt_of>},
    FunctionRow{Function::exp, "exp", "x", 1, 1, for_block<exp_of>},
    FunctionRow{Function::log, "log", "x", 1, 1, for_block<log_of>},
    FunctionRow{Function::log10, "log10", "x", 1, 1, for_block<log10_of>},
    FunctionRow{Function::log2, "log2", "x", 1, 1, for_block<log2_of>},
    FunctionRow{Function::sin, "sin", "x", 1, 1, for_block<sin_of>},
    FunctionRow{Function::cos, "cos", "x", 1, 1, for_block<cos_of>},
    FunctionRow{Function::tan, "tan", "x", 1, 1, for_block<tan_of>},
    FunctionRow{Function::asin, "asin", "x", 1, 1, for_block<asin_of>},
    FunctionRow{Function::acos, "acos", "x", 1, 1, for_block<acos_of>},
    FunctionRow{Function::atan, "atan", "x", 1, 1, for_block<atan_of>},
    FunctionRow{Function::floor, "floor", "x", 1, 1, for_block<floor_of>},
    FunctionRow{Function::ceil, "ceil", "x", 1, 1, for_block<ceil_of>},
    FunctionRow{Function::round, "round", "x", 1, 1, for_block<round_of>},
    FunctionRow{Function::sign, "sign", "x", 1, 1, for_block<sign_of>},
    FunctionRow{Function::min, "min", "x,y,…", 2, any_number},
    FunctionRow{Function::max, "max", "x,y,…", 2, any_number},
    FunctionRow{Function::choose, "if", "condition,a,b", 3, 3},
    FunctionRow{Function::known, "known", "x", 1, 1},
    FunctionRow{Function::coalesce, "coalesce", "x,y,…", 1, any_number},
    FunctionRow{Function::year, "year", "", 0, 0},
    FunctionRow{Function::month, "month", "", 0, 0},
    FunctionRow{Function::day, "day", "", 0, 0},
    FunctionRow{Function::hour, "hour", "", 0, 0},
    FunctionRow{Function::minute, "minute", "", 0, 0},
    FunctionRow{Function::second, "second", "", 0, 0},
    FunctionRow{Function::weekday, "weekday", "", 0, 0},
    FunctionRow{Function::yearday, "yearday", "", 0, 0},
    FunctionRow{Function::elapsed, "elapsed", "", 0, 0},
    FunctionRow{Function::row, "row", "", 0, 0},
};

static_assert(
    [] {
      for (std::size_t i = 0; i < functions.size(); ++i) {
        if (functions[i].function != static_cast<Function>(i)) return false;
      }
      return functions.size() == static_cast<std::size_t>(Function::row) + 1;
    }(),
    "a row of the table for each function, in their order");

constexpr const FunctionRow& row_of(Function function) {
  return functions[static_cast<std::size_t>(function)];
}
constexpr bool is_of_clock(Function function) {
  return function >= Function::year && function <= Function::yearday;
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
