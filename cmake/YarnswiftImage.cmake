# yarnswift_image(NAME DEFINITION SOURCE... PROCESSOR cortex-m0plus|cortex-m3|cortex-m4|cortex-m33
#                 [CLIENTS DEFINITION...] [OPTIONS OPTION...] [STACK BYTES] [BOARD SOURCE LINKER SCRIPT]):
# builds firmware as the image modules/NAME.elf in the build folder, from the same sources as yarnswift_module: one of them
# says YS_MODULE(...). Without a BOARD it is for an emulator, and scenes play it; with one it is for your hardware. CLIENTS
# are definitions of devices that it meets as a client. Without a cross-compiler nothing is built, and a line says so.
find_program(YARNSWIFT_CROSS_COMPILER arm-none-eabi-gcc)
find_program(YARNSWIFT_CROSS_ARCHIVER arm-none-eabi-ar)

# Compiles SOURCES into objects below `folder`, whose paths are returned in `objects`.
function(yarnswift_cross objects folder flags depends)
  set(made "")
  foreach(source IN LISTS ARGN)
    get_filename_component(path ${source} ABSOLUTE)
    string(SHA1 hash ${path})
    string(SUBSTRING ${hash} 0 8 hash)
    get_filename_component(file ${path} NAME)
    set(object ${folder}/${hash}_${file}.o)
    add_custom_command(OUTPUT ${object}
      COMMAND ${YARNSWIFT_CROSS_COMPILER} ${flags} -MD -MF ${object}.d -c ${path} -o ${object}
      DEPENDS ${path} ${depends} DEPFILE ${object}.d COMMENT "Compiling ${file} for the image" VERBATIM)
    list(APPEND made ${object})
  endforeach()
  set(${objects} ${made} PARENT_SCOPE)
endfunction()

function(yarnswift_archive archive)
  add_custom_command(OUTPUT ${archive} COMMAND ${CMAKE_COMMAND} -E rm -f ${archive}
    COMMAND ${YARNSWIFT_CROSS_ARCHIVER} rcs ${archive} ${ARGN} DEPENDS ${ARGN} COMMENT "Archiving for the image" VERBATIM)
endfunction()

function(yarnswift_image name definition)
  cmake_parse_arguments(image "" "PROCESSOR;STACK;LINKER" "CLIENTS;OPTIONS;BOARD" ${ARGN})
  if(NOT YARNSWIFT_CROSS_COMPILER OR NOT YARNSWIFT_CROSS_ARCHIVER)
    message(STATUS "There is no cross-compiler (apt-get install gcc-arm-none-eabi libnewlib-arm-none-eabi): "
                   "${name}.elf is not built")
    return()
  endif()
  if(NOT image_PROCESSOR MATCHES "^cortex-m" OR (NOT image_BOARD AND NOT image_PROCESSOR MATCHES "^cortex-m(0|0plus|3|4|33)$"))
    message(FATAL_ERROR "yarnswift_image: PROCESSOR is a cortex-m; without BOARD one of cortex-m0, m0plus, m3, m4 and m33")
  endif()
  if(image_BOARD AND NOT image_LINKER)
    message(FATAL_ERROR "yarnswift_image: a BOARD needs its LINKER script, with its memory")
  endif()
  if(NOT YARNSWIFT_SOURCES) # it is no package that says where they are, but this tree
    get_filename_component(YARNSWIFT_SOURCES ${CMAKE_CURRENT_FUNCTION_LIST_DIR}/../src ABSOLUTE)
    set(YARNSWIFT_INCLUDE ${YARNSWIFT_SOURCES}/../include)
  endif()
  set(ports ${YARNSWIFT_SOURCES}/../ports)
  set(port ${ports}/cortex_m)
  set(folder ${CMAKE_CURRENT_BINARY_DIR}/yarnswift/${name})
  if(NOT image_STACK)
    set(image_STACK 2048)
  endif()
  set(machine "")
  if(NOT image_BOARD)
    set(image_BOARD ${port}/boards/emulated/board.c)
    if(image_PROCESSOR STREQUAL "cortex-m33")
      set(machine mps2-an505)
      set(image_LINKER ${port}/boards/emulated/mps2_secure.ld)
      list(APPEND image_OPTIONS -DBOARD_SECURE=1)
    else()
      set(machine mps2-an385)
      if(image_PROCESSOR STREQUAL "cortex-m4")
        set(machine mps2-an386)
      endif()
      set(image_LINKER ${port}/boards/emulated/mps2.ld)
    endif()
  endif()

  # what is generated: a target of its own has it, so that the tables are made as for a module
  add_library(${name}_generated OBJECT EXCLUDE_FROM_ALL ${port}/boards/nothing.c)
  yarnswift_device(${name}_generated ${definition})
  set(generated ${folder}_generated)
  set(tables ${generated}/${yarnswift_name}_table.c)
  set(depends ${tables} ${generated}/${yarnswift_name}_table.h ${generated}/${yarnswift_name}_config.h)
  set(config ${yarnswift_name}_config.h)
  foreach(client IN LISTS image_CLIENTS)
    yarnswift_client(${name}_generated ${client})
    get_filename_component(file ${client} NAME)
    string(REGEX REPLACE "\\.device\\.yaml$" "" file ${file})
    string(TOLOWER ${file} file)
    string(REGEX REPLACE "[^a-z0-9]+" "_" file ${file})
    list(APPEND tables ${generated}/${file}_client.c)
    list(APPEND depends ${generated}/${file}_client.c ${generated}/${file}_client.h)
  endforeach()

  set(flags -mcpu=${image_PROCESSOR} -mthumb -Os -g -std=c11 -ffreestanding -ffunction-sections -fdata-sections -Wall -Wextra
    "-DYS_CONFIG_FILE=\"${config}\"" "-DBOARD_MACHINE=\"${machine}\"" -I${YARNSWIFT_INCLUDE} -I${YARNSWIFT_SOURCES} -I${ports}
    -I${generated} ${image_OPTIONS})
  foreach(source IN LISTS image_UNPARSED_ARGUMENTS)
    get_filename_component(path ${source} ABSOLUTE)
    get_filename_component(path ${path} DIRECTORY)
    list(APPEND flags -I${path})
  endforeach()
  list(REMOVE_DUPLICATES flags)
  file(GLOB_RECURSE host CONFIGURE_DEPENDS ${YARNSWIFT_SOURCES}/wire/*.c ${YARNSWIFT_SOURCES}/host/*.c)
  file(GLOB parts CONFIGURE_DEPENDS ${ports}/parts/*.c ${ports}/step/*.c)
  file(MAKE_DIRECTORY ${folder} ${CMAKE_BINARY_DIR}/modules)
  yarnswift_cross(host_objects ${folder} "${flags}" "${depends}" ${host})
  yarnswift_cross(port_objects ${folder} "${flags}" "${depends}" ${parts} ${port}/port.c ${image_BOARD})
  yarnswift_cross(own_objects ${folder} "${flags}" "${depends}" ${image_UNPARSED_ARGUMENTS} ${tables} ${port}/main.c
    ${port}/start.c)
  yarnswift_archive(${folder}/${name}_host.a ${host_objects})
  yarnswift_archive(${folder}/${name}_port.a ${port_objects})
  set(elf ${CMAKE_BINARY_DIR}/modules/${name}.elf)
  add_custom_command(OUTPUT ${elf}
    COMMAND ${YARNSWIFT_CROSS_COMPILER} -mcpu=${image_PROCESSOR} -mthumb --specs=nano.specs -nostartfiles -L ${port}
            -T ${image_LINKER} -Wl,--gc-sections -Wl,--defsym=_stack_size=${image_STACK} ${own_objects}
            -Wl,--whole-archive ${folder}/${name}_port.a -Wl,--no-whole-archive ${folder}/${name}_host.a -o ${elf}
    DEPENDS ${own_objects} ${folder}/${name}_host.a ${folder}/${name}_port.a ${image_LINKER} ${port}/sections.ld
    COMMENT "Linking the image ${name}.elf" VERBATIM)
  add_custom_target(${name} ALL DEPENDS ${elf})
endfunction()
