# yarnswift_layer(NAME [FOLDER folder]): the folder src/NAME as the target yarnswift_NAME. What it links, and what its
# files may include, are the layers that cmake/layers.cmake allows it; the check runs at every build.
include(${CMAKE_CURRENT_LIST_DIR}/layers.cmake)

function(yarnswift_layer name)
  cmake_parse_arguments(layer "" "FOLDER" "" ${ARGN})
  if(NOT layer_FOLDER)
    set(layer_FOLDER src/${name})
  endif()
  file(GLOB_RECURSE sources CONFIGURE_DEPENDS ${PROJECT_SOURCE_DIR}/${layer_FOLDER}/*.c)
  add_library(yarnswift_${name} STATIC ${sources})
  add_library(yarnswift::yarnswift_${name} ALIAS yarnswift_${name}) # as an installed package calls it
  target_include_directories(yarnswift_${name} PUBLIC
    $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/include> $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>)
  target_include_directories(yarnswift_${name} PUBLIC
    $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/src> $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/ports>)
  # Their options only: a library that is exported cannot link what is not.
  target_compile_options(yarnswift_${name} PRIVATE $<TARGET_PROPERTY:yarnswift_warnings,INTERFACE_COMPILE_OPTIONS>)
  foreach(below IN LISTS YARNSWIFT_LAYER_${name})
    target_link_libraries(yarnswift_${name} PUBLIC yarnswift_${below})
  endforeach()
  add_dependencies(yarnswift_${name} yarnswift_check_layers)
endfunction()

add_custom_target(yarnswift_check_layers ALL
  COMMAND ${CMAKE_COMMAND} -DROOT=${PROJECT_SOURCE_DIR} -P ${CMAKE_CURRENT_LIST_DIR}/check_layers.cmake
  COMMENT "Checking what each folder includes" VERBATIM)
