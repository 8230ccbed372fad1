/// What steps changed, as tables and figures.

#pragma once

#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/view/page.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Of each step that changed something, the stretch that it changed most, before and after.
std::string stretches_html(const PageContent& content);
/// The readings that were filled, set or taken away.
std::string changes_table(const PageContent& content);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
