/// The schema of a Parquet file as columns of rows.

#pragma once

#include <cstdint>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>

#include "io/judge/row_source.hpp"
#include "io/parquet/words.hpp"

namespace zerobeat::parquet {
class FileMetaData;
}

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What becomes of a column's values on the way to cells.
enum class CellKind : std::uint8_t {
  integer,        ///< of 32 or 64 bits, with a sign
  unsigned_word,  ///< of 32 bits, without
  wide_unsigned,  ///< of 64 bits, without
  number,
  half,
  boolean,
  decimal,
  text,
  uuid,
  time,   ///< a number of `unit` nanoseconds
  int96,  ///< nanoseconds of a day, and the day
};

/// One leaf of the schema, or a group of them that can't be read.
struct ParquetColumn {
  RowColumn column{};
  std::size_t leaf = 0;  ///< its place among the columns of a row group
  Physical physical = Physical::boolean;
  std::size_t length = 0;      ///< of fixed bytes
  unsigned deepest_level = 0;  ///< the level at which there is a value; 0: always
  CellKind kind = CellKind::integer;
  std::int64_t unit = 1;  ///< of times: nanoseconds
  int scale = 0;          ///< of decimals: digits after the point
  bool is_read = false;
  std::string refused{};  ///< its type, when it is no reading; empty: it can be read
};

/// The columns of a file, in its order; of those that are not read is known what makes it so.
/// Throws Error of kind input for one that is asked for and whose type is no reading, and when the
/// schema is damaged.
std::vector<ParquetColumn> columns_of(const parquet::FileMetaData& metadata,
                                      const std::string& source, const ReadOptions& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
