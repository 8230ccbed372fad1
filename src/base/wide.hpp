/// Integers of 128 bits, for products and differences that int64 can't hold.

#pragma once

#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

__extension__ typedef __int128 Wide;
__extension__ typedef unsigned __int128 WideUnsigned;

}  // namespace v1
}  // namespace zerobeat
