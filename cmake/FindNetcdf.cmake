# Finds the netCDF library: its headers, and the name by which it is loaded.
find_path(Netcdf_INCLUDE_DIR netcdf.h)
find_library(Netcdf_LIBRARY netcdf)

include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(Netcdf REQUIRED_VARS Netcdf_LIBRARY Netcdf_INCLUDE_DIR)

if(Netcdf_FOUND)
  include(${CMAKE_CURRENT_LIST_DIR}/LoadedName.cmake)
  loaded_name(${Netcdf_LIBRARY} Netcdf_SONAME)
endif()
