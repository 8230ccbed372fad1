/// Tables of text whose columns stand under one another.

#pragma once

#include <string>
#include <vector>

namespace zerobeat::detail {

/// One line a row; columns before `numbers_from` and from `text_from` on are set left, those
/// between right. Rows start with `indent`.
std::string aligned(const std::vector<std::vector<std::string>>& rows, std::size_t numbers_from,
                    std::size_t text_from, const std::string& indent = "");

/// The same, columns to the right where `right` says so.
std::string aligned(const std::vector<std::vector<std::string>>& rows,
                    const std::vector<bool>& right, const std::string& indent = "");

}  // namespace zerobeat::detail
