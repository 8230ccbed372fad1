# Finds Thrift: its compiler, and its library as Thrift::thrift. Of the archive, where there is one
# to link, a program takes the little that it needs; the shared one brings a library of encryption
# with it, which takes longer to load than all else.
find_program(THRIFT thrift)
find_path(Thrift_INCLUDE_DIR thrift/Thrift.h)
if(BUILD_SHARED_LIBS)
  find_library(Thrift_LIBRARY thrift)
else()
  find_library(Thrift_LIBRARY NAMES libthrift.a thrift)
endif()

include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(Thrift REQUIRED_VARS Thrift_LIBRARY Thrift_INCLUDE_DIR)

if(Thrift_FOUND AND NOT TARGET Thrift::thrift)
  add_library(Thrift::thrift UNKNOWN IMPORTED)
  set_target_properties(Thrift::thrift PROPERTIES
    IMPORTED_LOCATION "${Thrift_LIBRARY}"
    INTERFACE_INCLUDE_DIRECTORIES "${Thrift_INCLUDE_DIR}")
endif()
