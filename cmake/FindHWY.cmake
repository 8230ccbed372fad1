# Finds the Highway SIMD library and defines hwy::hwy.
find_path(HWY_INCLUDE_DIR hwy/highway.h)
find_library(HWY_LIBRARY hwy)

include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(HWY REQUIRED_VARS HWY_LIBRARY HWY_INCLUDE_DIR)

if(HWY_FOUND AND NOT TARGET hwy::hwy)
  add_library(hwy::hwy UNKNOWN IMPORTED)
  set_target_properties(hwy::hwy PROPERTIES
    IMPORTED_LOCATION "${HWY_LIBRARY}"
    INTERFACE_INCLUDE_DIRECTORIES "${HWY_INCLUDE_DIR}")
endif()
