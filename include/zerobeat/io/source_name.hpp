/// What the name of a source or an output stands for: a file, several, or a database.
///
/// Threads may call these at the same time, each with outputs of its own.

#pragma once

#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// What stands between the names of a list: a byte that no file's name can hold.
inline constexpr char between_files = '\0';

/// Whether a name is the address of a database: postgresql://…
[[nodiscard]] bool is_connection(std::string_view name);

/// An address without the password in it, for messages, accounts and plans; any other name as it
/// is.
[[nodiscard]] std::string without_password(const std::string& name);

/// The files that a source's name stands for, in the order in which they are read: itself, those
/// that a pattern fits (in byte order of their names; none when it fits none), those of a list
/// (names with `between_files` between). None for a database and for standard input.
[[nodiscard]] std::vector<std::string> source_files(const std::string& name);

/// Whether several files may be meant: a pattern or a list.
[[nodiscard]] bool is_several(const std::string& name);

/// What a source is called when nobody says it: its file's stem, endings of compressions left out;
/// "stdin"; a database's own name; of a pattern its folder, else the pattern's first word.
[[nodiscard]] std::string source_stem(const std::string& name);

}  // namespace v1
}  // namespace zerobeat
