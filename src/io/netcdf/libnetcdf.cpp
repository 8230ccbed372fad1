#include "io/netcdf/libnetcdf.hpp"

#include "io/source/loaded_library.hpp"

namespace zerobeat::inline v1::detail {

const Libnetcdf& libnetcdf() {
  static const Libnetcdf functions = [] {
    const LoadedLibrary library(ZEROBEAT_LIBNETCDF, "libnetcdf19");
    Libnetcdf own;
    library.find("nc_close", own.nc_close);
    library.find("nc_free_string", own.nc_free_string);
    library.find("nc_get_att_double", own.nc_get_att_double);
    library.find("nc_get_att_string", own.nc_get_att_string);
    library.find("nc_get_att_text", own.nc_get_att_text);
    library.find("nc_get_var_double", own.nc_get_var_double);
    library.find("nc_get_vara_double", own.nc_get_vara_double);
    library.find("nc_get_vara_longlong", own.nc_get_vara_longlong);
    library.find("nc_inq_att", own.nc_inq_att);
    library.find("nc_inq_dimlen", own.nc_inq_dimlen);
    library.find("nc_inq_dimname", own.nc_inq_dimname);
    library.find("nc_inq_nvars", own.nc_inq_nvars);
    library.find("nc_inq_vardimid", own.nc_inq_vardimid);
    library.find("nc_inq_varid", own.nc_inq_varid);
    library.find("nc_inq_varname", own.nc_inq_varname);
    library.find("nc_inq_varndims", own.nc_inq_varndims);
    library.find("nc_inq_vartype", own.nc_inq_vartype);
    library.find("nc_open", own.nc_open);
    library.find("nc_open_mem", own.nc_open_mem);
    library.find("nc_strerror", own.nc_strerror);
    return own;
  }();
  return functions;
}

}  // namespace zerobeat::detail
