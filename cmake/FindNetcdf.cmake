# Finds the netCDF library and defines Netcdf::netcdf.
find_path(Netcdf_INCLUDE_DIR netcdf.h)
find_library(Netcdf_LIBRARY netcdf)

include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(Netcdf REQUIRED_VARS Netcdf_LIBRARY Netcdf_INCLUDE_DIR)

if(Netcdf_FOUND AND NOT TARGET Netcdf::netcdf)
  add_library(Netcdf::netcdf UNKNOWN IMPORTED)
  set_target_properties(Netcdf::netcdf PROPERTIES
    IMPORTED_LOCATION "${Netcdf_LIBRARY}"
    INTERFACE_INCLUDE_DIRECTORIES "${Netcdf_INCLUDE_DIR}")
endif()
