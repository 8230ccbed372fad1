// In place of netCDF, in builds without it (ZEROBEAT_WITH_NETCDF).
#include <zerobeat/base/error.hpp>

#include "io/netcdf/read_netcdf.hpp"

namespace zerobeat::inline v1::detail {

bool begins_as_netcdf(std::string_view head) { return head.starts_with("CDF"); }

std::shared_ptr<RowSource> open_netcdf(const SourceText&, const ReadOptions&) {
  fail_input("this build of the library reads no netCDF: ZEROBEAT_WITH_NETCDF was off");
}

}  // namespace zerobeat::detail
