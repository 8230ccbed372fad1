/// Integers of 128 bits, for products and differences that int64 can't hold.

#pragma once

namespace zerobeat {

__extension__ typedef __int128 Wide;
__extension__ typedef unsigned __int128 WideUnsigned;

}  // namespace zerobeat
