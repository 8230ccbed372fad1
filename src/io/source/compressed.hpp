/// Compressed files, by the libraries of their formats, and archives, by libarchive.

#pragma once

#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "io/source/source_text.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// So many first bytes say what a file is.
inline constexpr std::size_t packed_head = 512;

/// Whether a text's first bytes are those of a compressed file or an archive.
bool begins_as_packed(std::string_view head);

/// What a file's first bytes say that it is.
enum class Container { none, compressed, archive, packed_archive };
Container container_of(const SourceText& file);

/// The files in an archive, in its own order. Throws Error of kind input when it can't be read.
std::vector<std::string> members_of(const SourceText& archive);

/// What a compressed file holds, or a member of an archive: a stream. The file's bytes stay.
SourceText uncompressed(const SourceText& file, std::size_t most);
SourceText member_text(const SourceText& archive, const std::string& member, std::size_t most);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
