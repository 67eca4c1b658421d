# What `cmake --install` puts where: programs, the example's files, and the core as a library that
# others find with find_package(Kuvio).
include(GNUInstallDirs)
include(CMakePackageConfigHelpers)

set(kuvio_programs kuvio-cli kuvio-sim)
install(TARGETS kuvio-read-hdf5 RUNTIME DESTINATION ${CMAKE_INSTALL_LIBEXECDIR}/kuvio)
if(KUVIO_BUILD_APP)
  list(APPEND kuvio_programs kuvio)
endif()
install(TARGETS ${kuvio_programs} RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
install(DIRECTORY ${CMAKE_SOURCE_DIR}/examples DESTINATION ${CMAKE_INSTALL_DATADIR}/kuvio)

target_include_directories(kuvio_core PUBLIC $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}/kuvio>)
target_compile_features(kuvio_core PUBLIC cxx_std_20)
set_target_properties(kuvio_core PROPERTIES EXPORT_NAME core)
install(TARGETS kuvio_core EXPORT KuvioTargets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(DIRECTORY ${CMAKE_SOURCE_DIR}/src/core DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}/kuvio
        FILES_MATCHING PATTERN "*.h")
install(EXPORT KuvioTargets NAMESPACE Kuvio:: DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Kuvio)
configure_package_config_file(${CMAKE_SOURCE_DIR}/cmake/KuvioConfig.cmake.in ${CMAKE_BINARY_DIR}/KuvioConfig.cmake
                              INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Kuvio)
write_basic_package_version_file(${CMAKE_BINARY_DIR}/KuvioConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${CMAKE_BINARY_DIR}/KuvioConfig.cmake ${CMAKE_BINARY_DIR}/KuvioConfigVersion.cmake
        DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Kuvio)
