#include <zerobeat/base/share.hpp>

#include "base/trim.hpp"

namespace zerobeat::inline v1 {

double share_from(std::string_view text) {
  std::string_view number = detail::trim(text);
  const bool percent = number.ends_with('%');
  if (percent) number = detail::trim(number.substr(0, number.size() - 1));
  double share = 0;
  try {
    from_text(number, share);
  } catch (const Error&) {
    fail_usage("\"{}\" is not a share; write it like 0.1 or 10%", text);
  }
  return percent ? share / 100 : share;
}

void from_text(std::string_view text, ShareField& out) { *out.to = share_from(text); }
std::string to_text(const ShareField& share) { return to_text(*share.from); }

}  // namespace zerobeat
