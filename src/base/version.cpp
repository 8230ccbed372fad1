#include <zerobeat/version.hpp>

namespace zerobeat::inline v1 {

std::string_view version() noexcept { return ZEROBEAT_VERSION; }

}  // namespace zerobeat
