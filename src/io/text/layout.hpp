/// Finding out how a source is laid out: the shape of each of its parts, where its times are and
/// how they are written, and which columns hold numbers.

#pragma once

#include <set>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>

#include "io/source/part.hpp"
#include "io/source/read_task.hpp"
#include "io/text/chunk.hpp"
#include "io/text/record_splitter.hpp"
#include "io/text/shape.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// One part's shape, and which of its cells each column of the source is.
struct FoundPart {
  Shape shape{};
  std::vector<std::size_t> cells{};  ///< absent_cell where it has none
};

struct FoundLayout {
  Layout layout;  ///< by the columns of the source
  std::vector<FoundPart> parts;
  std::vector<std::string> names;          ///< of all columns of all parts
  std::vector<std::string> fault_columns;  ///< names that faults refer to
  std::string time_name;                   ///< DAY+CLOCK when it is several columns
  std::string key_name;                    ///< A+B when it is several
  bool key_is_of_path = false;             ///< the files' paths are in the keys
  bool format_found = false;               ///< the time format was found, not told
  std::vector<std::string> time_samples;
  std::vector<Finding> findings{};  ///< what the look noticed

  /// The layout for the records of one part.
  Layout of_part(std::size_t part) const;
};

/// Names of columns that turned up while JSON lines were read, beside those of the look.
using FurtherNames = std::vector<std::set<std::string>>;

/// Throws Error when the source is not text with a header, or has no time column.
FoundLayout find_layout(const OpenSource& source, const ReadTask& options,
                        const MissingWords& missing_words, const FurtherNames& further = {});

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
