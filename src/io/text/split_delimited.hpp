/// Splitting delimited text: lines and cells, nothing judged but whether a record can be one.

#pragma once

#include <optional>
#include <zerobeat/base/export.hpp>

#include "io/text/cell_table.hpp"
#include "io/text/chunk.hpp"
#include "io/text/scan.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A stretch of a source's text, and what is to become of it.
struct Stretch {
  std::string_view text;  ///< of the source, as much as there is
  bool is_whole = true;   ///< that is all
  std::size_t begin = 0, end = 0;
  const Layout& layout;
  Chunk& chunk;  ///< its counts of records and lines, its end and its faults are set
};

/// The cells of a stretch without quotes in which every line is a record of as many cells as the
/// header; unset when one is not, or may not be encoded as it should.
std::optional<EvenCells> even_cells(const Stretch& stretch, Scan& scan);

/// Splits a stretch without quotes, whose delimiters and line ends `scan` has.
void split_plain(const Stretch& stretch, Scan& scan, PlainCells& cells);

/// Splits one that may have them: the records that start in it, the last of which may end past it.
void split_quoted(const Stretch& stretch, const Scan& scan, SpanCells& cells);

bool is_utf8(std::string_view text);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
