# yarnswift_embed(TARGET FILE NAME): compiles a text file into TARGET, as the C string NAME.
function(yarnswift_embed target file name)
  get_filename_component(path ${file} ABSOLUTE)
  set(output ${CMAKE_CURRENT_BINARY_DIR}/${name}.c)
  add_custom_command(OUTPUT ${output}
    COMMAND ${CMAKE_COMMAND} -DINPUT=${path} -DOUTPUT=${output} -DNAME=${name}
            -P ${PROJECT_SOURCE_DIR}/cmake/embed.cmake
    DEPENDS ${path} ${PROJECT_SOURCE_DIR}/cmake/embed.cmake VERBATIM)
  target_sources(${target} PRIVATE ${output})
endfunction()
