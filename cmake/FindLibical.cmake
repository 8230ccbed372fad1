# Finds the libical calendar library and defines Libical::libical.
find_path(Libical_INCLUDE_DIR libical/ical.h)
find_library(Libical_LIBRARY ical)

include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(Libical REQUIRED_VARS Libical_LIBRARY Libical_INCLUDE_DIR)

if(Libical_FOUND AND NOT TARGET Libical::libical)
  add_library(Libical::libical UNKNOWN IMPORTED)
  set_target_properties(Libical::libical PROPERTIES
    IMPORTED_LOCATION "${Libical_LIBRARY}"
    INTERFACE_INCLUDE_DIRECTORIES "${Libical_INCLUDE_DIR}")
endif()
