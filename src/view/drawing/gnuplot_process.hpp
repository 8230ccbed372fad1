/// gnuplot, driven through a pipe.

#pragma once

#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What gnuplot made of a script: the picture that it drew, and what it said.
struct GnuplotRun {
  std::string picture;
  std::string messages;
  int status = 0;
};

/// Runs gnuplot on a script and takes what it draws: no shell, no file. Throws Error of kind output
/// when gnuplot is not there.
GnuplotRun run_gnuplot(std::string_view script);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
