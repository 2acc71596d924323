# cmake -DSOURCE=... -DBINARY=... -DCOMPILER=... -P check.cmake: configures the project here, which looks at itself, and
# checks that its install holds its own program alone and that its flags reach the compiler.
file(REMOVE_RECURSE ${BINARY})
execute_process(COMMAND ${CMAKE_COMMAND} -S ${SOURCE}/tests/subproject -B ${BINARY} -G Ninja -DCMAKE_BUILD_TYPE=Release
                        -DCMAKE_CXX_COMPILER=${COMPILER} -DBRACE_SOURCE=${SOURCE} -DCMAKE_EXPORT_COMPILE_COMMANDS=ON
                COMMAND_ERROR_IS_FATAL ANY)
file(READ ${BINARY}/brace/cmake_install.cmake rules)
if(rules MATCHES "file\\(INSTALL")
  message(FATAL_ERROR "Brace as a part installs files")
endif()
file(READ ${BINARY}/compile_commands.json commands)
if(NOT commands MATCHES "-O1 -DOWN_FLAG[^\n]*estimation/problem.cpp")
  message(FATAL_ERROR "the flags of the project do not reach Brace's files")
endif()
