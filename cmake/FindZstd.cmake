# Finds the Zstandard library and defines Zstd::zstd.
find_path(Zstd_INCLUDE_DIR zstd.h)
find_library(Zstd_LIBRARY zstd)

include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(Zstd REQUIRED_VARS Zstd_LIBRARY Zstd_INCLUDE_DIR)

if(Zstd_FOUND AND NOT TARGET Zstd::zstd)
  add_library(Zstd::zstd UNKNOWN IMPORTED)
  set_target_properties(Zstd::zstd PROPERTIES
    IMPORTED_LOCATION "${Zstd_LIBRARY}"
    INTERFACE_INCLUDE_DIRECTORIES "${Zstd_INCLUDE_DIR}")
endif()
