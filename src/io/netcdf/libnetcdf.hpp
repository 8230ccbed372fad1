/// The library of netCDF, loaded at the first call: with what it stands on it would take most of
/// the time that a program needs to start.

#pragma once

#include <netcdf.h>
#include <netcdf_mem.h>

#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct Libnetcdf {
  decltype(&::nc_close) nc_close;
  decltype(&::nc_free_string) nc_free_string;
  decltype(&::nc_get_att_double) nc_get_att_double;
  decltype(&::nc_get_att_string) nc_get_att_string;
  decltype(&::nc_get_att_text) nc_get_att_text;
  decltype(&::nc_get_var_double) nc_get_var_double;
  decltype(&::nc_get_vara_double) nc_get_vara_double;
  decltype(&::nc_get_vara_longlong) nc_get_vara_longlong;
  decltype(&::nc_inq_att) nc_inq_att;
  decltype(&::nc_inq_dimlen) nc_inq_dimlen;
  decltype(&::nc_inq_dimname) nc_inq_dimname;
  decltype(&::nc_inq_nvars) nc_inq_nvars;
  decltype(&::nc_inq_vardimid) nc_inq_vardimid;
  decltype(&::nc_inq_varid) nc_inq_varid;
  decltype(&::nc_inq_varname) nc_inq_varname;
  decltype(&::nc_inq_varndims) nc_inq_varndims;
  decltype(&::nc_inq_vartype) nc_inq_vartype;
  decltype(&::nc_open) nc_open;
  decltype(&::nc_open_mem) nc_open_mem;
  decltype(&::nc_strerror) nc_strerror;
};

/// Its functions. Throws InputError when it can't be loaded. Any thread may call it.
const Libnetcdf& libnetcdf();

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
