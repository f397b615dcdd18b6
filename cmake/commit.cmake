# Writes the commit that is built, as a C string: "" outside of a repository, with + if something is not committed.
set(commit "")
if(EXISTS ${SOURCE}/.git)
  execute_process(COMMAND git -C ${SOURCE} describe --always --abbrev=12 --exclude=* --dirty=+
    OUTPUT_VARIABLE commit OUTPUT_STRIP_TRAILING_WHITESPACE ERROR_QUIET)
endif()
set(text "extern const char version_commit[];\nconst char version_commit[] = \"${commit}\";\n")
if(EXISTS ${OUTPUT})
  file(READ ${OUTPUT} before)
endif()
if(NOT text STREQUAL before)
  file(WRITE ${OUTPUT} "${text}")
endif()
