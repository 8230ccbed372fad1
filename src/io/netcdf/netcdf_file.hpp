/// An open netCDF file, asked by the numbers of its variables and dimensions. What can't be told is
/// an Error of kind input that names the file.

#pragma once

#include <algorithm>
#include <cstdint>
#include <mutex>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "io/netcdf/libnetcdf.hpp"
#include "io/source/source_text.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

class NetcdfFile {
 public:
  /// Packed files are read from memory, others by their path. The text has to outlive this.
  explicit NetcdfFile(const SourceText& text);
  NetcdfFile(const NetcdfFile&) = delete;
  NetcdfFile& operator=(const NetcdfFile&) = delete;
  ~NetcdfFile();

  /// The library is for one thread at a time, whatever the file: to be held by whoever asks.
  static std::unique_lock<std::mutex> alone();

  const std::string& name() const { return text_.name; }

  std::vector<int> variables() const;
  /// The variable of a name; -1 without one.
  int variable(const std::string& name) const;
  std::string name_of_variable(int variable) const;
  nc_type type_of(int variable) const;
  std::vector<int> dimensions_of(int variable) const;

  std::string name_of_dimension(int dimension) const;
  std::size_t length_of(int dimension) const;
  /// The coordinate variable of a dimension, which has its name; -1 without one.
  int coordinate_of(int dimension) const { return variable(name_of_dimension(dimension)); }

  /// A text attribute; empty when there is none.
  std::string attribute(int variable, const char* name) const;
  /// An attribute of numbers; empty when there is none.
  std::vector<double> numbers(int variable, const char* name) const;

  /// All values of a variable.
  std::vector<double> values_of(int variable) const;
  /// Values of a stretch: `count` along each dimension from `start` on.
  void read(int variable, const std::size_t* start, const std::size_t* count, double* out) const;
  void read(int variable, const std::size_t* start, const std::size_t* count,
            std::int64_t* out) const;

 private:
  void check(int result) const;

  const SourceText& text_;
  int file_ = -1;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
