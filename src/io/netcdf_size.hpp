/// How long a classic NetCDF file has to be, by its own header: the library fills up what is cut
/// off.

#pragma once

#include <cstdint>
#include <optional>
#include <string_view>

namespace zerobeat::detail {

/// The bytes up to the end of the last value (the NetCDF classic format, its specification's
/// grammar). Nothing for other formats, and for headers that can't be followed.
std::optional<std::uint64_t> classic_netcdf_size(std::string_view bytes);

}  // namespace zerobeat::detail
