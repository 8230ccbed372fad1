# Finds the NLopt optimisation library and defines Nlopt::nlopt.
find_path(Nlopt_INCLUDE_DIR nlopt.h)
find_library(Nlopt_LIBRARY nlopt)

include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(Nlopt REQUIRED_VARS Nlopt_LIBRARY Nlopt_INCLUDE_DIR)

if(Nlopt_FOUND AND NOT TARGET Nlopt::nlopt)
  add_library(Nlopt::nlopt UNKNOWN IMPORTED)
  set_target_properties(Nlopt::nlopt PROPERTIES
    IMPORTED_LOCATION "${Nlopt_LIBRARY}"
    INTERFACE_INCLUDE_DIRECTORIES "${Nlopt_INCLUDE_DIR}")
endif()
