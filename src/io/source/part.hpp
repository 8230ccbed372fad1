/// The parts of a source that is open: files, members of archives, results of a database.

#pragma once

#include <memory>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>

#include "io/judge/row_source.hpp"
#include "io/source/source_text.hpp"
#include "io/text/record_form.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A part of a path that reads NAME=VALUE.
struct PathValue {
  std::string name{}, value{};
};

struct Part {
  std::string name{};  ///< as messages call it
  InputFormat format = InputFormat::csv;
  RecordForm form{};                     ///< of what is read as text
  SourceText text{};                     ///< the same
  std::shared_ptr<RowSource> rows{};     ///< of what has types
  std::int64_t returns = 0;              ///< that alone ended its lines, and were read so
  std::vector<PathValue> path_values{};  ///< of one of several files: text for all its records
  std::string encoding{};                ///< that was found to fit, of several
  /// Where a byte of the text stood in the file, when that was in another encoding.
  std::function<std::uint64_t(std::uint64_t)> file_byte{};
};

/// A source, open: its parts in the order in which they are read.
struct OpenSource {
  std::string name{};  ///< as the user named it
  std::vector<Part> parts{};
  bool is_pattern = false;  ///< several files may be meant
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
