/// The key of a table's rows, each of which is of a strand.

#pragma once

#include <cstdint>
#include <span>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Adds the key's column when there is a key: of row i the key of strand `strands[i]`. A key that
/// is empty is missing.
void add_key(Table& table, const Timeline& timeline, std::span<const std::uint32_t> strands);

/// The table with the columns of a key of several in that column's place.
Table with_own_keys(const Table& table);

/// Throws Error when a name of the table would be there twice: the key's, or a take's.
void check_free(std::span<const std::string_view> own, std::span<const std::string> others);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
