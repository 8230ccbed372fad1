/// Columns made of others, or of words.

#pragma once

#include <span>
#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/column.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A numeric column as numbers, the readings of those rows missing. Shares it when there are none.
Column without_rows(const Column& column, std::span<const std::size_t> rows);

/// A column of text; an empty word is missing.
Column column_of_words(std::span<const std::string> words);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
