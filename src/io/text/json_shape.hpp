/// The shape of an object on a line: all of its text but the values.
///
/// Lines of one source are mostly of one shape. When the text around the values is, byte for byte,
/// that of a line that a parser has accepted, and each value is a number, a word or a string
/// without escapes, then the line is well formed, and its values are where the walk found them.

#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "io/text/cell_table.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

class JsonShape {
 public:
  /// A value of an object: where in the line its text stands, quotes and all, and its cell.
  struct Value {
    std::size_t begin, length, cell;
  };

  /// Learns from a line that was parsed; these are its values, in their order.
  void learn(std::string_view line, const std::vector<Value>& values);

  /// Splits the line that `text` begins with. Returns its length without its end, or 0 when it is
  /// not of this shape; `spans` may have been written to then. Cells that the shape lacks are
  /// not written. Places count from `base`.
  std::size_t split(std::string_view text, const char* base, SpanCells::Span* spans) const;

  /// How many cells it has; a name that stands twice is one.
  std::size_t cells() const { return cells_; }

 private:
  struct Part {
    std::size_t begin, length;  ///< of what stands before the value, in around_
    std::size_t cell;
  };

  std::string around_;
  std::vector<Part> parts_;
  Part rest_{};  ///< what stands after the last value
  std::size_t cells_ = 0;
};

/// True for a number as JSON writes them.
bool is_json_number(std::string_view text);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
