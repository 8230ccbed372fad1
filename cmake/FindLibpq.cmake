# Finds the client library of PostgreSQL: its headers, and the name by which it is loaded.
find_path(Libpq_INCLUDE_DIR libpq-fe.h PATH_SUFFIXES postgresql)
find_library(Libpq_LIBRARY pq)

include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(Libpq REQUIRED_VARS Libpq_LIBRARY Libpq_INCLUDE_DIR)

if(Libpq_FOUND)
  include(${CMAKE_CURRENT_LIST_DIR}/LoadedName.cmake)
  loaded_name(${Libpq_LIBRARY} Libpq_SONAME)
endif()
