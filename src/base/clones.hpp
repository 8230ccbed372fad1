/// Kernels in several copies, of which the best for the machine is taken when the program starts.

#pragma once

#include <zerobeat/base/export.hpp>

// No result depends on which. Sanitizers start before that choice is made.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && \
    !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
#define ZEROBEAT_CLONES __attribute__((target_clones("avx2", "default")))
#else
#define ZEROBEAT_CLONES
#endif
