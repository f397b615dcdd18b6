# Which layers each layer may use. The order is that of docs/architecture.md: only what stands above.
set(YARNSWIFT_LAYER_wire "")
set(YARNSWIFT_LAYER_host wire)
set(YARNSWIFT_LAYER_machine wire)
set(YARNSWIFT_LAYER_measure wire)
set(YARNSWIFT_LAYER_sim machine measure wire)
set(YARNSWIFT_LAYER_parts "")
set(YARNSWIFT_LAYER_step host wire)
set(YARNSWIFT_LAYER_simulated host sim measure machine wire)
set(YARNSWIFT_LAYER_linux simulated host sim measure machine wire)
set(YARNSWIFT_LAYER_emulated linux step simulated host sim measure machine wire)
set(YARNSWIFT_LAYER_capture measure machine wire)
set(YARNSWIFT_LAYER_design measure machine wire)
set(YARNSWIFT_LAYER_adopted design)
set(YARNSWIFT_LAYER_world design capture measure emulated linux step simulated sim host machine wire)
set(YARNSWIFT_LAYER_scene world design capture measure emulated linux step simulated sim host machine wire)
set(YARNSWIFT_LAYER_encounter world design sim host machine wire measure)
set(YARNSWIFT_LAYER_experiment world design capture measure emulated linux step simulated sim host machine wire)
set(YARNSWIFT_LAYER_cli encounter scene experiment world design capture measure emulated linux step simulated sim host machine wire)

# The headers of the C library that firmware may include: what a freestanding compiler has, and string.h for the four
# memory functions.
set(YARNSWIFT_FREESTANDING stdbool.h stddef.h stdint.h limits.h string.h)
set(YARNSWIFT_FIRMWARE wire host)

# What else of the world a layer must not touch.
set(YARNSWIFT_FORBIDDEN_sim time.h sys/time.h unistd.h)
set(YARNSWIFT_FORBIDDEN_world time.h sys/time.h unistd.h)
set(YARNSWIFT_FORBIDDEN_scene time.h sys/time.h unistd.h)
set(YARNSWIFT_FORBIDDEN_encounter time.h sys/time.h unistd.h)
set(YARNSWIFT_FORBIDDEN_experiment time.h sys/time.h unistd.h)
set(YARNSWIFT_FORBIDDEN_measure time.h sys/time.h unistd.h stdio.h)

# Headers of examples that a layer shows: the demo runs the firmware of the torque wrench.
set(YARNSWIFT_EXAMPLES_cli wrench.h workstation.h torque_wrench_table.h)

# The rooms of a layer, and which others of it each may use. What lies in the layer's own folder, above its rooms, may use
# all of them.
set(YARNSWIFT_ROOM_host/core "")
set(YARNSWIFT_ROOM_host/hci host/core)
set(YARNSWIFT_ROOM_host/l2cap host/core)
set(YARNSWIFT_ROOM_host/gap host/core host/hci host/l2cap)
set(YARNSWIFT_ROOM_host/smp host/core host/l2cap)
set(YARNSWIFT_ROOM_host/gatt host/gatt/server host/gatt/client host/core host/l2cap)
set(YARNSWIFT_ROOM_host/gatt/server host/core host/l2cap)
set(YARNSWIFT_ROOM_host/gatt/client host/core host/l2cap)
set(YARNSWIFT_ROOM_capture/file capture)
set(YARNSWIFT_ROOM_capture/follow capture)
set(YARNSWIFT_ROOM_capture/say capture/follow)
set(YARNSWIFT_ROOM_capture/audit capture/follow)
set(YARNSWIFT_ROOM_design/model "")
set(YARNSWIFT_ROOM_design/reading design/model)
set(YARNSWIFT_ROOM_design/making design/model design/reading)
set(YARNSWIFT_ROOM_design/checking design/model design/reading design/making)
set(YARNSWIFT_ROOM_cli/shared "")
set(YARNSWIFT_ROOM_cli/page cli/shared)
foreach(verb audit interval meet sweep rehearse explore footprint air trace)
  set(YARNSWIFT_ROOM_cli/${verb} cli/shared cli/page)
endforeach()
