# cmake -DOUT=file.cpp -DHEADER=report/assets.hpp -DNAMES=Style,ChartLibrary -DSTYLE=file -DCHARTLIBRARY=file -P embed.cmake
# Files as text within the program: `kStyle` is the file STYLE, and so on; the header declares them.
string(REPLACE "," ";" NAMES "${NAMES}")
set(code "// Made by cmake/embed.cmake.\n#include \"${HEADER}\"\n\nnamespace brace::inline v0::assets {\n\n")
foreach(part IN LISTS NAMES)
  string(TOUPPER ${part} file)
  file(READ ${${file}} text)
  string(APPEND code "const std::string_view k${part} = R\"asset~(${text})asset~\";\n")
endforeach()
string(APPEND code "\n}  // namespace brace::inline v0::assets\n")
file(WRITE ${OUT} "${code}")
