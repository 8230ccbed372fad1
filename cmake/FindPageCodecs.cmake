# Finds what few Parquet pages are packed with: headers, and the names by which the libraries are
# loaded for the first page that needs one.
find_path(Snappy_INCLUDE_DIR snappy-c.h)
find_library(Snappy_LIBRARY NAMES libsnappy.so snappy)
find_path(Lz4_INCLUDE_DIR lz4.h)
find_library(Lz4_LIBRARY NAMES liblz4.so lz4)
find_path(Brotli_INCLUDE_DIR brotli/decode.h)
find_library(Brotlidec_LIBRARY NAMES libbrotlidec.so brotlidec)

include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(PageCodecs REQUIRED_VARS Snappy_LIBRARY Snappy_INCLUDE_DIR
  Lz4_LIBRARY Lz4_INCLUDE_DIR Brotlidec_LIBRARY Brotli_INCLUDE_DIR)

if(PageCodecs_FOUND)
  include(${CMAKE_CURRENT_LIST_DIR}/LoadedName.cmake)
  loaded_name(${Snappy_LIBRARY} Snappy_SONAME)
  loaded_name(${Lz4_LIBRARY} Lz4_SONAME)
  loaded_name(${Brotlidec_LIBRARY} Brotlidec_SONAME)
  set(PageCodecs_INCLUDE_DIRS ${Snappy_INCLUDE_DIR} ${Lz4_INCLUDE_DIR} ${Brotli_INCLUDE_DIR})
endif()
