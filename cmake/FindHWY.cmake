# Finds the headers of Highway, which are all that is used of it.
find_path(HWY_INCLUDE_DIR hwy/highway.h)

include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(HWY REQUIRED_VARS HWY_INCLUDE_DIR)
