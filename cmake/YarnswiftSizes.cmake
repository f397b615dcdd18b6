# The sizes of include/yarnswift/config.h as options, and those that differ from its defaults as YARNSWIFT_SIZES: definitions
# for whatever is compiled with the library. A workstation has room for whatever a definition may say, and what is not
# said is as on a target.
if(YARNSWIFT_TOOL)
  set(connections 32)
  set(mtu_most 517)
  set(notifiables 1024)
  set(sets 16)
  set(report 1650)
else()
  set(connections 3)
  set(mtu_most 247)
  set(notifiables 16)
  set(sets 3)
  set(report 251)
endif()
set(YARNSWIFT_SIZES "")
foreach(size "CONNECTIONS=${connections}=Connections at once, 1 to 32" "MTU=${mtu_most}=Largest ATT MTU, 23 to 517"
        "MTU_PREFERRED=247=The MTU that is asked for and agreed to if settings do not say, 23 to YARNSWIFT_MTU"
        "NOTIFIABLES=${notifiables}=Characteristics of a table that can notify or indicate, 1 to 1024"
        "QUEUE_SIZE=520=Memory for queued writes in bytes, 0 or 24 to 4096" "SETS=${sets}=Advertising sets, 1 to 16"
        "REPORT_SIZE=${report}=The longest extended report in bytes, 31 to 1650"
        "COMMAND_TIMEOUT_MS=2000=How long the controller may take to answer, 100 to 60000")
  string(REGEX MATCH "^([A-Z_]+)=([0-9]+)=(.*)$" matched "${size}")
  set(name ${CMAKE_MATCH_1})
  set(usual ${CMAKE_MATCH_2})
  set(YARNSWIFT_${name} ${usual} CACHE STRING "${CMAKE_MATCH_3}")
  if(name STREQUAL MTU_PREFERRED AND YARNSWIFT_MTU_PREFERRED GREATER YARNSWIFT_MTU)
    set(YARNSWIFT_MTU_PREFERRED ${YARNSWIFT_MTU})
  endif()
  list(APPEND YARNSWIFT_SIZES YS_${name}=${YARNSWIFT_${name}})
endforeach()
list(TRANSFORM YARNSWIFT_SIZES PREPEND "-D" OUTPUT_VARIABLE YARNSWIFT_SIZE_FLAGS)
list(JOIN YARNSWIFT_SIZE_FLAGS " " YARNSWIFT_SIZE_FLAGS)
