/// Shares as options: 0.1 or 10%.
///
/// Threads may call these at the same time.

#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Reads "0.1" or "10%". Throws Error when it is neither.
[[nodiscard]] double share_from(std::string_view text);

/// A field that holds a share, as `fields` gives it to its visitor.
struct ShareField {
  std::optional<double>* to;
  const std::optional<double>* from;
};
inline ShareField share_field(std::optional<double>& share) { return {&share, &share}; }
inline ShareField share_field(const std::optional<double>& share) { return {nullptr, &share}; }
void from_text(std::string_view text, ShareField& out);
[[nodiscard]] std::string to_text(const ShareField& share);

template <>
inline constexpr bool takes_numbers<ShareField> = true;

}  // namespace v1
}  // namespace zerobeat
