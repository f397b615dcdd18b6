# yarnswift_device(TARGET DEFINITION): generates the tables of a definition at build time, whenever it changes or one that it includes, and
# adds them to TARGET, with the folder of the generated header. The tool is found beside this file's package, built in
# the same tree, or given as YARNSWIFT_EXECUTABLE.
function(yarnswift_device target definition)
  get_filename_component(path ${definition} ABSOLUTE)
  get_filename_component(file ${path} NAME)
  string(REGEX REPLACE "\\.device\\.yaml$" "" name ${file})
  if(name STREQUAL file)
    message(FATAL_ERROR "yarnswift_device: ${definition} is not named NAME.device.yaml")
  endif()
  string(TOLOWER ${name} name) # as the tool makes names in C
  string(REGEX REPLACE "[^a-z0-9]+" "_" name ${name})
  string(REGEX REPLACE "^_|_$" "" name ${name})
  set(folder ${CMAKE_CURRENT_BINARY_DIR}/yarnswift/${target})
  set(tool ${YARNSWIFT_EXECUTABLE})
  if(NOT tool)
    set(tool yarnswift_generator)
  endif()
  add_custom_command(
    OUTPUT ${folder}/${name}_table.h ${folder}/${name}_table.c
    COMMAND ${CMAKE_COMMAND} -E make_directory ${folder}
    COMMAND ${tool} generate -o ${folder} --depends ${folder}/${name}.d ${path}
    COMMAND ${CMAKE_COMMAND} -E touch_nocreate ${folder}/${name}_table.c ${folder}/${name}_table.h
    DEPENDS ${path} ${tool}
    DEPFILE ${folder}/${name}.d
    COMMENT "Generating the tables of ${file}" VERBATIM)
  target_sources(${target} PRIVATE ${folder}/${name}_table.c ${folder}/${name}_table.h)
  target_include_directories(${target} PUBLIC $<BUILD_INTERFACE:${folder}>)
endfunction()

# yarnswift_module(NAME DEFINITION SOURCE...): builds firmware as the module modules/NAME.so in the build folder, which
# `yarnswift rehearse` and `yarnswift explore` load. One of its files says YS_MODULE(...), see yarnswift/workstation.h.
function(yarnswift_module name definition)
  add_library(${name} MODULE ${ARGN})
  set_target_properties(${name} PROPERTIES PREFIX "" SUFFIX ".so" C_VISIBILITY_PRESET default
    LIBRARY_OUTPUT_DIRECTORY ${CMAKE_BINARY_DIR}/modules)
  yarnswift_device(${name} ${definition})
  if(TARGET yarnswift_host)
    target_link_libraries(${name} PRIVATE yarnswift_host)
  else()
    target_link_libraries(${name} PRIVATE yarnswift::yarnswift_host)
  endif()
endfunction()
