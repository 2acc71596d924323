# cmake -DOUT=file.cpp -DTEMPLATE=... -DSTYLE=... -DSCRIPT=... -DLIBRARY=... -P embed.cmake
# The files of a report as text within the program.
set(code "// Made by cmake/embed.cmake from the files of src/report/page.\n#include \"report/assets.hpp\"\n\nnamespace brace::inline v0::assets {\n\n")
foreach(part IN ITEMS Template Style Script ChartLibrary)
  string(TOUPPER ${part} file)
  file(READ ${${file}} text)
  string(APPEND code "const std::string_view k${part} = R\"asset~(${text})asset~\";\n")
endforeach()
string(APPEND code "\n}  // namespace brace::inline v0::assets\n")
file(WRITE ${OUT} "${code}")
