# Warnings, which are errors in builds of our own. An interface target, so that generated code and examples are held to the
# same.
add_library(yarnswift_warnings INTERFACE)
target_compile_options(yarnswift_warnings INTERFACE
  -Wall -Wextra -Wpedantic $<$<BOOL:${YARNSWIFT_WERROR}>:-Werror> -Wshadow -Wstrict-prototypes -Wmissing-prototypes -Wundef -Wcast-qual
  -Wwrite-strings -Wpointer-arith -Wvla)
if(YARNSWIFT_SANITIZE)
  add_compile_options(-fsanitize=${YARNSWIFT_SANITIZE} -fno-sanitize-recover=all -fno-omit-frame-pointer)
  add_link_options(-fsanitize=${YARNSWIFT_SANITIZE})
endif()
