/// Tables of text whose columns stand under one another.

#pragma once

#include <cstddef>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Characters, not bytes: those that do not continue one.
std::size_t letters(const std::string& text);

/// One line a row; columns before `numbers_from` and from `text_from` on are set left, those
/// between right. Rows start with `indent`.
std::string aligned(const std::vector<std::vector<std::string>>& rows, std::size_t numbers_from,
                    std::size_t text_from, const std::string& indent = "");

/// The same, columns to the right where `right` says so.
std::string aligned(const std::vector<std::vector<std::string>>& rows,
                    const std::vector<bool>& right, const std::string& indent = "");

/// Cells, the first row their names, in lines of at most `width`: as they are when they fit, else
/// turned on their side, else some columns after the other beside the leading texts.
std::string fitted(const std::vector<std::vector<std::string>>& rows,
                   const std::vector<bool>& right, std::size_t width);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
