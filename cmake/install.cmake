include(CMakePackageConfigHelpers)

install(TARGETS zerobeat_core zerobeat_io zerobeat_plan zerobeat_view
  EXPORT ZeroBeatTargets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
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
  cmake/FindCctz.cmake cmake/FindLibical.cmake cmake/FindZstd.cmake
  DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/ZeroBeat)

# The prefix is found from where the file stands, so that an installed tree can be moved.
file(RELATIVE_PATH ZEROBEAT_PC_TO_PREFIX
  /prefix/${CMAKE_INSTALL_LIBDIR}/pkgconfig /prefix)
configure_file(cmake/zerobeat.pc.in ${CMAKE_CURRENT_BINARY_DIR}/zerobeat.pc @ONLY)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/zerobeat.pc
  DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
