/// What of a shared library programs see, and the language that they have to be in.

#pragma once

#if defined(__cplusplus) && __cplusplus < 202002L
#error "Zero Beat is a library for C++20: compile with -std=c++20 or later"
#endif

/// On a namespace: what it declares is seen outside of the library. All else is hidden.
#if defined(__GNUC__)
#define ZEROBEAT_API [[gnu::visibility("default")]]
#else
#define ZEROBEAT_API
#endif
