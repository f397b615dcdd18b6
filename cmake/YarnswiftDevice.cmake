include(CheckLinkerFlag)

# What is generated of a definition at build time, whenever it changes or one that it includes: files NAME_SUFFIX for
# --for PURPOSE, which are added to TARGET, with their folder. The tool is found beside this file's package, built in the
# same tree, or given as YARNSWIFT_EXECUTABLE.
function(yarnswift_generate target definition purpose)
  get_filename_component(path ${definition} ABSOLUTE)
  get_filename_component(file ${path} NAME)
  string(REGEX REPLACE "\\.device\\.yaml$" "" name ${file})
  if(name STREQUAL file)
    message(FATAL_ERROR "yarnswift_${purpose}: ${definition} is not named NAME.device.yaml")
  endif()
  string(TOLOWER ${name} name) # as the tool makes names in C
  string(REGEX REPLACE "[^a-z0-9]+" "_" name ${name})
  string(REGEX REPLACE "^_|_$" "" name ${name})
  set(folder ${CMAKE_CURRENT_BINARY_DIR}/yarnswift/${target})
  set(tool ${YARNSWIFT_EXECUTABLE})
  if(NOT tool)
    set(tool yarnswift_generator)
  endif()
  set(files ${ARGN})
  list(TRANSFORM files PREPEND ${folder}/${name}_)
  add_custom_command(
    OUTPUT ${files}
    COMMAND ${CMAKE_COMMAND} -E make_directory ${folder}
    COMMAND ${tool} generate --for ${purpose} -o ${folder} --depends ${folder}/${name}_${purpose}.d ${path}
    COMMAND ${CMAKE_COMMAND} -E touch_nocreate ${files}
    DEPENDS ${path} ${tool}
    DEPFILE ${folder}/${name}_${purpose}.d
    COMMENT "Generating from ${file} for the ${purpose}" VERBATIM)
  target_sources(${target} PRIVATE ${files})
  target_include_directories(${target} PUBLIC $<BUILD_INTERFACE:${folder}>)
  set(yarnswift_name ${name} PARENT_SCOPE)
endfunction()

# yarnswift_device(TARGET DEFINITION): adds the tables of a device to TARGET: NAME_table.c, NAME_table.h, and
# NAME_config.h with the sizes that it needs.
function(yarnswift_device target definition)
  yarnswift_generate(${target} ${definition} device table.h table.c config.h)
  set(yarnswift_name ${yarnswift_name} PARENT_SCOPE)
endfunction()

# yarnswift_client(TARGET DEFINITION): adds what a client of that device needs to TARGET: NAME_client.c and
# NAME_client.h, for <yarnswift/remote.h>.
function(yarnswift_client target definition)
  yarnswift_generate(${target} ${definition} client client.h client.c)
endfunction()

# yarnswift_module(NAME DEFINITION SOURCE...): builds firmware as the module modules/NAME.so in the build folder, which
# `yarnswift rehearse` and `yarnswift explore` load, and with which a program can be linked that calls ys_workstation_main.
# One of its files says YS_MODULE(...), see yarnswift/workstation.h. The host is compiled into it with the sizes that the
# definition needs, as on the target; others by target_compile_definitions(NAME PRIVATE YS_QUEUE_SIZE=0 ...).
function(yarnswift_module name definition)
  if(NOT YARNSWIFT_SOURCES) # it is no package that says where they are, but this tree
    get_filename_component(YARNSWIFT_SOURCES ${CMAKE_CURRENT_FUNCTION_LIST_DIR}/../src ABSOLUTE)
  endif()
  file(GLOB_RECURSE host CONFIGURE_DEPENDS ${YARNSWIFT_SOURCES}/host/*.c)
  add_library(${name} SHARED ${ARGN} ${host})
  set_target_properties(${name} PROPERTIES YARNSWIFT_FIRMWARE "${ARGN}" PREFIX "" SUFFIX ".so" C_VISIBILITY_PRESET hidden
    LIBRARY_OUTPUT_DIRECTORY ${CMAKE_BINARY_DIR}/modules)
  yarnswift_device(${name} ${definition})
  target_compile_features(${name} PRIVATE c_std_11)
  target_compile_definitions(${name} PRIVATE YS_CONFIG_FILE="${yarnswift_name}_config.h" YS_DEBUG=1)
  target_include_directories(${name} PRIVATE ${YARNSWIFT_SOURCES}
    $<TARGET_PROPERTY:yarnswift::yarnswift_host,INTERFACE_INCLUDE_DIRECTORIES>)
  target_link_libraries(${name} PRIVATE $<LINK_ONLY:yarnswift::yarnswift_wire>) # which knows none of these sizes
  # A handler that is missing stops the build, where the linker can tell; what a sanitizer needs comes later.
  check_linker_flag(C LINKER:-z,defs YARNSWIFT_LINKER_TELLS)
  if(YARNSWIFT_LINKER_TELLS AND NOT YARNSWIFT_SANITIZE AND NOT CMAKE_C_FLAGS MATCHES "-fsanitize")
    target_link_options(${name} PRIVATE LINKER:-z,defs)
  endif()
endfunction()

# yarnswift_coverage(NAME): lets a module count which functions and branches of its own sources are reached, of which
# `yarnswift meet` tells. It is slower then, and its sources are compiled without optimisation, so that lines stay lines.
function(yarnswift_coverage name)
  get_target_property(sources ${name} YARNSWIFT_FIRMWARE)
  foreach(source ${sources})
    get_filename_component(path ${source} ABSOLUTE)
    string(REGEX REPLACE "([][+.*^$(){}|?\\\\])" "\\\\\\1" path ${path})
    list(APPEND paths ${path})
  endforeach()
  list(JOIN paths "|" paths)
  target_compile_options(${name} PRIVATE --coverage -O0 "-fprofile-filter-files=^(${paths})$")
  target_link_options(${name} PRIVATE --coverage LINKER:-u,__gcov_dump)
endfunction()
