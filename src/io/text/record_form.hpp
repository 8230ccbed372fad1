/// How the records of a format of text are cut into fields.

#pragma once

#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct RecordForm {
  bool named = false;     ///< every field with its name: a JSON object on each line
  char delimiter = '\0';  ///< the only one there is; '\0': the options or the text tell
  char quote = '"';       ///< '\0': there are none

  bool operator==(const RecordForm&) const = default;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
