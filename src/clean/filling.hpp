/// One column filled, and the books of it: what fill() and try_fill() share.

#pragma once

#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/clean/fill.hpp>

#include "kernel/window/rows.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct Filled {
  Column column{};
  Buffer<std::uint64_t> flags{};  ///< which rows were filled
  std::int64_t cells = 0;
  std::int64_t open_gaps = 0;  ///< that stay open, or partly
  double longest_filled_s = 0, longest_open_s = 0;
  std::vector<std::string> notes{};
};

/// Throws Error when an option does not go with the methods, the axis or the columns.
void check_filling(const Timeline& timeline, const Fill& options,
                   std::span<const Fill::Method> methods);

/// The columns that are filled: options.on, or every one that can be, but not by itself.
std::vector<std::string> filled_names(const Timeline& timeline, const Fill& options,
                                      std::span<const Fill::Method> methods);

/// A column of the timeline's rows, filled.
Filled filled(const Timeline& timeline, const Column& column, const Fill& options,
              const Fill::Method& how);

/// "12 filled, the longest gap 45 min; 3 gaps stay open, the longest 6 h".
std::string told(const Filled& own);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
