/// The header of a classic netCDF file (versions 1, 2 and 5), walked through before the library
/// sees it: of a damaged one the library asks for memory without end, and a file that is shorter
/// than its header says it fills with zeros.

#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct ClassicNetcdf {
  bool is_classic = false;
  std::optional<std::size_t> damaged_at{};  ///< the byte at which the header can't go on
  std::optional<std::uint64_t> size{};      ///< of the file at the least, where the header tells
};

ClassicNetcdf look_at_classic_netcdf(std::string_view bytes);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
