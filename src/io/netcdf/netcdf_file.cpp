#include "io/netcdf/netcdf_file.hpp"

#include <algorithm>
#include <zerobeat/base/error.hpp>

#include "io/netcdf/netcdf_header.hpp"

namespace zerobeat::inline v1::detail {

NetcdfFile::NetcdfFile(const SourceText& text) : text_(text) {
  const auto lock = alone();
  const std::string_view bytes = text_.all();
  const ClassicNetcdf header = look_at_classic_netcdf(bytes);
  if (header.damaged_at) {
    fail_input("{}: byte {}: its header is damaged or cut short; fetch it again", text_.name,
               *header.damaged_at);
  }
  if (header.size && *header.size > bytes.size()) {
    fail_input("{}: is cut short: by its header it has {} bytes, and there are {}; fetch it again",
               text_.name, *header.size, bytes.size());
  }
  const int result = text_.mapped
                         ? libnetcdf().nc_open(text_.name.c_str(), NC_NOWRITE, &file_)
                         : libnetcdf().nc_open_mem(text_.name.c_str(), NC_NOWRITE, bytes.size(),
                                                   const_cast<char*>(bytes.data()), &file_);
  check(result);
}

NetcdfFile::~NetcdfFile() {
  const auto lock = alone();
  libnetcdf().nc_close(file_);
}

std::unique_lock<std::mutex> NetcdfFile::alone() {
  static std::mutex mutex;
  return std::unique_lock(mutex);
}

void NetcdfFile::check(int result) const {
  if (result == NC_NOERR) return;
  fail_input("{}: {}", text_.name, libnetcdf().nc_strerror(result));
}

std::vector<int> NetcdfFile::variables() const {
  int count = 0;
  check(libnetcdf().nc_inq_nvars(file_, &count));
  std::vector<int> all(static_cast<std::size_t>(count));
  for (int i = 0; i < count; ++i) all[static_cast<std::size_t>(i)] = i;
  return all;
}

int NetcdfFile::variable(const std::string& name) const {
  int variable = -1;
  const bool there = libnetcdf().nc_inq_varid(file_, name.c_str(), &variable) == NC_NOERR;
  return there ? variable : -1;
}

nc_type NetcdfFile::type_of(int variable) const {
  nc_type type = NC_NAT;
  check(libnetcdf().nc_inq_vartype(file_, variable, &type));
  return type;
}

std::string NetcdfFile::name_of_variable(int variable) const {
  char name[NC_MAX_NAME + 1] = {};
  check(libnetcdf().nc_inq_varname(file_, variable, static_cast<char*>(name)));
  return static_cast<const char*>(name);
}
std::string NetcdfFile::name_of_dimension(int dimension) const {
  char name[NC_MAX_NAME + 1] = {};
  check(libnetcdf().nc_inq_dimname(file_, dimension, static_cast<char*>(name)));
  return static_cast<const char*>(name);
}
std::vector<int> NetcdfFile::dimensions_of(int variable) const {
  int count = 0;
  check(libnetcdf().nc_inq_varndims(file_, variable, &count));
  std::vector<int> dimensions(static_cast<std::size_t>(count));
  check(libnetcdf().nc_inq_vardimid(file_, variable, dimensions.data()));
  return dimensions;
}
std::size_t NetcdfFile::length_of(int dimension) const {
  std::size_t length = 0;
  check(libnetcdf().nc_inq_dimlen(file_, dimension, &length));
  return length;
}

std::string NetcdfFile::attribute(int variable, const char* name) const {
  nc_type type = NC_NAT;
  std::size_t length = 0;
  if (libnetcdf().nc_inq_att(file_, variable, name, &type, &length) != NC_NOERR) return "";
  if (type == NC_CHAR) {
    std::string text(length, '\0');
    check(libnetcdf().nc_get_att_text(file_, variable, name, text.data()));
    while (!text.empty() && text.back() == '\0') text.pop_back();
    return text;
  }
  if (type != NC_STRING || length == 0) return "";
  std::vector<char*> texts(length);
  check(libnetcdf().nc_get_att_string(file_, variable, name, texts.data()));
  const std::string first = texts[0] != nullptr ? texts[0] : "";
  libnetcdf().nc_free_string(length, texts.data());
  return first;
}

std::vector<double> NetcdfFile::numbers(int variable, const char* name) const {
  nc_type type = NC_NAT;
  std::size_t length = 0;
  if (libnetcdf().nc_inq_att(file_, variable, name, &type, &length) != NC_NOERR) return {};
  if (type == NC_CHAR || type == NC_STRING) return {};
  std::vector<double> values(length);
  check(libnetcdf().nc_get_att_double(file_, variable, name, values.data()));
  return values;
}

std::vector<double> NetcdfFile::values_of(int variable) const {
  std::size_t size = 1;
  for (const int dimension : dimensions_of(variable)) size *= length_of(dimension);
  std::vector<double> values(size);
  check(libnetcdf().nc_get_var_double(file_, variable, values.data()));
  return values;
}

void NetcdfFile::read(int variable, const std::size_t* start, const std::size_t* count,
                      double* out) const {
  check(libnetcdf().nc_get_vara_double(file_, variable, start, count, out));
}

void NetcdfFile::read(int variable, const std::size_t* start, const std::size_t* count,
                      std::int64_t* out) const {
  static_assert(sizeof(long long) == sizeof(std::int64_t));
  check(libnetcdf().nc_get_vara_longlong(file_, variable, start, count,
                                         reinterpret_cast<long long*>(out)));
}

}  // namespace zerobeat::detail
