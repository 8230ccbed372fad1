/// What always holds of reading; a fuzz target stops at the first input for which it does not.

#pragma once

#include <cstdio>
#include <cstdlib>
#include <string_view>

namespace zerobeat::fuzz {

inline void hold(bool good, const char* what, int line) {
  if (good) return;
  std::fprintf(stderr, "line %d: does not hold: %s\n", line, what);
  std::abort();
}

}  // namespace zerobeat::fuzz

#define HOLDS(...) ::zerobeat::fuzz::hold(static_cast<bool>(__VA_ARGS__), #__VA_ARGS__, __LINE__)
