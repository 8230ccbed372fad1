# The name by which programs load a shared library, as it says itself.
function(loaded_name library out)
  execute_process(COMMAND ${CMAKE_OBJDUMP} -p ${library} OUTPUT_VARIABLE about
    COMMAND_ERROR_IS_FATAL ANY)
  string(REGEX MATCH "SONAME +([^ \n]+)" match "${about}")
  set(${out} ${CMAKE_MATCH_1} PARENT_SCOPE)
endfunction()
