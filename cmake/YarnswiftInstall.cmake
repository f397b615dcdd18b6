# What is installed: the firmware library with its headers, a CMake package with yarnswift_device, a pkg-config file
# and, if it was built, the command with its man page, and what runs firmware on a workstation. The tree in which all this
# is built can be used as a package, too.
install(DIRECTORY include/yarnswift DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
# The sources of the firmware library, which modules are compiled with in sizes of their own.
set(sources_folder ${CMAKE_INSTALL_DATADIR}/yarnswift/src)
install(DIRECTORY src/wire src/host DESTINATION ${sources_folder} FILES_MATCHING PATTERN "*.[ch]")
# And of the bare-metal port, for images.
install(DIRECTORY ports/cortex_m ports/parts ports/step DESTINATION ${CMAKE_INSTALL_DATADIR}/yarnswift/ports
  FILES_MATCHING PATTERN "*.[ch]" PATTERN "*.ld" PATTERN "*.md")
set(libraries yarnswift_wire yarnswift_host)
if(YARNSWIFT_TOOL)
  list(APPEND libraries yarnswift_machine yarnswift_sim yarnswift_simulated yarnswift_parts yarnswift_step
       yarnswift_emulated yarnswift_linux yarnswift_measure yarnswift_capture yarnswift_design yarnswift_world
       yarnswift_scene yarnswift_encounter yarnswift_experiment)
endif()
install(TARGETS ${libraries} EXPORT yarnswift ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
export(EXPORT yarnswift NAMESPACE yarnswift:: FILE ${CMAKE_BINARY_DIR}/yarnswift-targets.cmake)
configure_file(cmake/YarnswiftDevice.cmake ${CMAKE_BINARY_DIR}/YarnswiftDevice.cmake COPYONLY)
configure_file(cmake/YarnswiftImage.cmake ${CMAKE_BINARY_DIR}/YarnswiftImage.cmake COPYONLY)
set(package_folder ${CMAKE_INSTALL_LIBDIR}/cmake/yarnswift)
install(EXPORT yarnswift NAMESPACE yarnswift:: FILE yarnswift-targets.cmake DESTINATION ${package_folder})
configure_package_config_file(cmake/yarnswift-config.cmake.in ${CMAKE_BINARY_DIR}/yarnswift-config.cmake
  INSTALL_DESTINATION ${package_folder} PATH_VARS CMAKE_INSTALL_BINDIR CMAKE_INSTALL_INCLUDEDIR sources_folder)
file(WRITE ${CMAKE_BINARY_DIR}/yarnswift-sources.cmake "set(YARNSWIFT_SOURCES \"${PROJECT_SOURCE_DIR}/src\")\nset(YARNSWIFT_INCLUDE \"${PROJECT_SOURCE_DIR}/include\")\n")
write_basic_package_version_file(${CMAKE_BINARY_DIR}/yarnswift-config-version.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${CMAKE_BINARY_DIR}/yarnswift-config.cmake ${CMAKE_BINARY_DIR}/yarnswift-config-version.cmake
  cmake/YarnswiftDevice.cmake cmake/YarnswiftImage.cmake DESTINATION ${package_folder})
# The file finds the rest from where it lies, so that an installation can be moved.
file(RELATIVE_PATH to_prefix /${CMAKE_INSTALL_LIBDIR}/pkgconfig /)
configure_file(cmake/yarnswift.pc.in ${CMAKE_BINARY_DIR}/yarnswift.pc @ONLY)
install(FILES ${CMAKE_BINARY_DIR}/yarnswift.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
if(YARNSWIFT_TOOL)
  install(TARGETS yarnswift RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
  install(FILES docs/yarnswift.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
  install(FILES completions/yarnswift.bash DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions RENAME yarnswift)
  install(FILES completions/_yarnswift DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/site-functions)
  install(FILES completions/yarnswift.fish DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d)
  install(FILES docs/definition.schema.json docs/scenes.schema.json docs/results.schema.json DESTINATION ${CMAKE_INSTALL_DATADIR}/yarnswift/schemas)
  set(examples_folder ${CMAKE_INSTALL_DOCDIR}/examples)
  install(DIRECTORY examples/ DESTINATION ${examples_folder} PATTERN "CMakeLists.txt" EXCLUDE PATTERN "results" EXCLUDE
    PATTERN "limits" EXCLUDE)
  install(FILES cmake/ExamplesProject.cmake DESTINATION ${examples_folder} RENAME CMakeLists.txt)
  install(DIRECTORY ${CMAKE_BINARY_DIR}/manual DESTINATION ${CMAKE_INSTALL_DOCDIR} OPTIONAL) # built by scripts/docs
  install(FILES README.md CHANGELOG.md DESTINATION ${CMAKE_INSTALL_DOCDIR})
endif()
install(FILES LICENSE DESTINATION ${CMAKE_INSTALL_DOCDIR} RENAME copyright)

# Packages: the distribution's own, and an archive of the firmware library alone (scripts/package makes both).
set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME yarnswift)
set(CPACK_PACKAGE_CONTACT "The authors of Yarnswift <yarnswift@localhost>")
set(CPACK_PACKAGE_DESCRIPTION_SUMMARY "${PROJECT_DESCRIPTION}")
set(CPACK_PACKAGE_VERSION ${PROJECT_VERSION})
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
set(CPACK_STRIP_FILES ON)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_SECTION devel)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_PACKAGE_DEPENDS "libfyaml-dev, libjansson-dev, libssl-dev, libedit-dev, libsqlite3-dev, pkg-config")
set(CPACK_DEBIAN_PACKAGE_RECOMMENDS "cmake, ninja-build, gcc, libc6-dev")
set(CPACK_DEBIAN_PACKAGE_SUGGESTS "gcc-arm-none-eabi, libnewlib-arm-none-eabi, qemu-system-arm, gnuplot-nox")
set(CPACK_DEBIAN_PACKAGE_HOMEPAGE "")
include(CPack)
