/// Records out of an assembly: what only the whole source can decide, columns, findings, account.

#pragma once

#include <zerobeat/base/export.hpp>

#include "io/judge/assembly.hpp"
#include "io/source/read_task.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Records of that name and those times, of which there are none.
Records named_records(const OpenSource& source, const FoundLayout& found, const ReadTask& options);

/// The records that were put together; the assembly is empty afterwards.
Records finished(Assembly& assembly, const OpenSource& source, const FoundLayout& found,
                 const ReadTask& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
