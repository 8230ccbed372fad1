/// NetCDF in, by the CF conventions: one variable at one place, along time.

#pragma once

#include <memory>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>

#include "io/judge/row_source.hpp"
#include "io/source/source_text.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

bool begins_as_netcdf(std::string_view head);

/// Opens the rows: the time, and the variable's readings at the cell nearest to a place. The source
/// says which cell that is, and how far. Throws Error of kind usage when the variable or a
/// dimension is not there, of kind input when the file can't be read or its times are of no
/// calendar that is one.
std::shared_ptr<RowSource> open_netcdf(const SourceText& text, const ReadOptions& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
