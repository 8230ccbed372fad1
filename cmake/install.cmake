include(CMakePackageConfigHelpers)

install(TARGETS zerobeat_core zerobeat_io zerobeat_plan zerobeat_view
  EXPORT ZeroBeatTargets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR}
  LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(TARGETS zerobeat RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
install(DIRECTORY include/zerobeat DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
install(EXPORT ZeroBeatTargets NAMESPACE ZeroBeat::
  DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/ZeroBeat)

configure_package_config_file(cmake/ZeroBeatConfig.cmake.in
  ${CMAKE_CURRENT_BINARY_DIR}/ZeroBeatConfig.cmake
  INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/ZeroBeat)
write_basic_package_version_file(${CMAKE_CURRENT_BINARY_DIR}/ZeroBeatConfigVersion.cmake
  COMPATIBILITY SameMinorVersion)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/ZeroBeatConfig.cmake
  ${CMAKE_CURRENT_BINARY_DIR}/ZeroBeatConfigVersion.cmake
  cmake/FindCctz.cmake cmake/FindNlopt.cmake cmake/FindLibical.cmake cmake/FindZstd.cmake
  cmake/FindThrift.cmake
  DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/ZeroBeat)

# A file for pkg-config of each library, and one that is all of them. The prefix is found from where
# the file stands, so that an installed tree can be moved. What a static library needs is told as if
# it were its own; a shared one finds it by itself.
file(RELATIVE_PATH ZEROBEAT_PC_TO_PREFIX
  /prefix/${CMAKE_INSTALL_LIBDIR}/pkgconfig /prefix)
function(zerobeat_pc name)
  cmake_parse_arguments(PARSE_ARGV 1 arg "" "LIBRARY;REQUIRES" "NEEDS")
  set(ZEROBEAT_PC_NAME ${name})
  set(ZEROBEAT_PC_REQUIRES "${arg_REQUIRES}")
  set(ZEROBEAT_PC_LIBS "")
  if(arg_LIBRARY)
    set(ZEROBEAT_PC_LIBS "-L\${libdir} -lzerobeat_${arg_LIBRARY}")
    if(NOT BUILD_SHARED_LIBS)
      string(APPEND ZEROBEAT_PC_LIBS " -Wl,--gc-sections")
      foreach(needed IN LISTS arg_NEEDS)
        string(APPEND ZEROBEAT_PC_LIBS " -l${needed}")
      endforeach()
    endif()
  endif()
  configure_file(cmake/zerobeat.pc.in ${CMAKE_CURRENT_BINARY_DIR}/${name}.pc @ONLY)
  install(FILES ${CMAKE_CURRENT_BINARY_DIR}/${name}.pc
    DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
endfunction()
set(sqlite)
if(ZEROBEAT_WITH_SQLITE)
  set(sqlite sqlite3)
endif()
set(thrift)
if(ZEROBEAT_WITH_PARQUET)
  set(thrift :libthrift.a)
endif()
zerobeat_pc(zerobeat-core LIBRARY core REQUIRES "fmt" NEEDS tbb cctz nlopt pthread)
zerobeat_pc(zerobeat-io LIBRARY io REQUIRES "zerobeat-core"
  NEEDS ical simdjson archive z bz2 lzma zstd crypto ${sqlite} ${thrift} tbb dl)
zerobeat_pc(zerobeat-view LIBRARY view REQUIRES "zerobeat-io" NEEDS tbb pthread)
zerobeat_pc(zerobeat-plan LIBRARY plan REQUIRES "zerobeat-view zerobeat-io" NEEDS tomlplusplus tbb)
zerobeat_pc(zerobeat REQUIRES "zerobeat-plan")
