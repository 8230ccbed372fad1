/// Text in other encodings, turned into UTF-8 as it is read, by iconv.

#pragma once

#include <string>
#include <zerobeat/base/export.hpp>

#include "io/source/source_text.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The encoding that a byte-order mark at the front speaks for: "UTF-16LE", "UTF-16BE" or empty.
std::string encoding_by_mark(std::string_view head);

/// Whether a name stands for UTF-8.
bool is_utf8_name(std::string_view encoding);

/// Of several encodings, with commas between, the first whose every byte makes sense in the text;
/// the first of all when none does. One alone is given as it is. Throws Error of kind usage when
/// iconv does not know one.
std::string fitting_encoding(const std::string& names, const SourceText& text);

/// The text as UTF-8: a stream. A sequence that is none in its encoding becomes a byte that is no
/// UTF-8 either, so that its record is found out. Throws Error of kind usage when iconv does not
/// know the encoding. `file_byte` says where a byte of it stood.
SourceText in_utf8(const SourceText& text, const std::string& named,
                   std::function<std::uint64_t(std::uint64_t)>& file_byte);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
