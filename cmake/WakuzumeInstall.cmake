include(CMakePackageConfigHelpers)
install(
  TARGETS wakuzume_core wakuzume_io wakuzume_render wakuzume_report
  EXPORT WakuzumeTargets
  ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR}
  LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR}
  RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR}
  FILE_SET HEADERS DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
if(WAKUZUME_BUILD_TOOL)
  install(TARGETS wakuzume RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
endif()
install(
  EXPORT WakuzumeTargets
  NAMESPACE wakuzume::
  DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Wakuzume)
configure_package_config_file(
  cmake/WakuzumeConfig.cmake.in ${PROJECT_BINARY_DIR}/WakuzumeConfig.cmake
  INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Wakuzume)
write_basic_package_version_file(
  ${PROJECT_BINARY_DIR}/WakuzumeConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/WakuzumeConfig.cmake
              ${PROJECT_BINARY_DIR}/WakuzumeConfigVersion.cmake
        DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Wakuzume)
install(FILES LICENSE DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/wakuzume)
