# Comments of a public header as Doxygen reads them; what the reader of the header sees stays as it is.
1s#^// SPDX.*#/// @file#
1b
s#namespace brace::inline v0#namespace brace#
s#\[\[nodiscard\]\] ##
# An at sign is one.
/\/\//s#@([a-z_]+)#\\@\1#g
t begun
:begun
# Lines of separation are no comment of what follows.
s#^( *)// ----.*#&#
t
s#^( *)//   (.*)#\1///       \2#
t
# What goes on from a comment at the end of the line before.
s#^( {12,})// ?(.*)#\1///< \2#
t
s#^( *)// ?(.*)#\1/// \2#
t
s#([;,{(]|[A-Za-z0-9_]) +// (.*)#\1  ///< \2#
