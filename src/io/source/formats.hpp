/// The formats that are read: a line of a table each.

#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>

#include "io/judge/row_source.hpp"
#include "io/source/source_text.hpp"
#include "io/text/record_form.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct Format {
  InputFormat format;
  std::string_view endings;               ///< ".tsv .tab", with spaces between
  bool (*begins)(std::string_view head);  ///< whether a file's first bytes are its; null: nobody's
  /// Of what has types: opens its rows. Null for text, which is cut as `form` says.
  std::shared_ptr<RowSource> (*open)(const SourceText& text, const ReadOptions& options);
  RecordForm form{};
};

/// The format that the options name, or that the first bytes speak for, or the ending; else csv.
const Format& format_of(std::string_view head, const std::string& name, const ReadOptions& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
