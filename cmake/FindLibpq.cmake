# Finds the client library of PostgreSQL and defines Libpq::libpq.
find_path(Libpq_INCLUDE_DIR libpq-fe.h PATH_SUFFIXES postgresql)
find_library(Libpq_LIBRARY pq)

include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(Libpq REQUIRED_VARS Libpq_LIBRARY Libpq_INCLUDE_DIR)

if(Libpq_FOUND AND NOT TARGET Libpq::libpq)
  add_library(Libpq::libpq UNKNOWN IMPORTED)
  set_target_properties(Libpq::libpq PROPERTIES
    IMPORTED_LOCATION "${Libpq_LIBRARY}"
    INTERFACE_INCLUDE_DIRECTORIES "${Libpq_INCLUDE_DIR}")
endif()
