#include "io/read_netcdf.hpp"

#include <algorithm>
#include <bit>
#include <charconv>
#include <cmath>
#include <numbers>
#include <optional>
#include <zerobeat/base/text.hpp>

#include "base/trim.hpp"
#include "io/libnetcdf.hpp"
#include "io/listed.hpp"
#include "io/netcdf_size.hpp"

namespace zerobeat::detail {

namespace {

__extension__ using Wide = __int128;  // what 1-1-1 is away from 1970 in nanoseconds

/// Days since 1970-01-01 of a date in the Gregorian calendar, or in the Julian one.
/// (Hatcher 1984: generalised equations for Julian day numbers.)
std::int64_t days_of(std::int64_t year, std::int64_t month, std::int64_t day, bool julian) {
  const std::int64_t shift = (14 - month) / 12;
  const std::int64_t y = year + 4800 - shift;
  const std::int64_t m = month + 12 * shift - 3;
  std::int64_t number = day + (153 * m + 2) / 5 + 365 * y + y / 4;
  number += julian ? -32'083 : -y / 100 + y / 400 - 32'045;
  constexpr std::int64_t epoch = 2'440'588;
  return number - epoch;
}

/// What times count: nanoseconds of a unit, from a number of nanoseconds since 1970.
struct TimeUnit {
  std::int64_t unit = 0;
  Wide origin = 0;
};

std::optional<std::int64_t> unit_of(std::string_view word) {
  struct Word {
    std::string_view text;
    std::int64_t ns;
  };
  static constexpr Word words[] = {
      {"microseconds", 1'000},      {"microsecond", 1'000},      {"milliseconds", 1'000'000},
      {"millisecond", 1'000'000},   {"msec", 1'000'000},         {"ms", 1'000'000},
      {"seconds", 1'000'000'000},   {"second", 1'000'000'000},   {"sec", 1'000'000'000},
      {"secs", 1'000'000'000},      {"s", 1'000'000'000},        {"minutes", 60'000'000'000},
      {"minute", 60'000'000'000},   {"min", 60'000'000'000},     {"mins", 60'000'000'000},
      {"hours", 3'600'000'000'000}, {"hour", 3'600'000'000'000}, {"hr", 3'600'000'000'000},
      {"hrs", 3'600'000'000'000},   {"h", 3'600'000'000'000},    {"days", 86'400'000'000'000},
      {"day", 86'400'000'000'000},  {"d", 86'400'000'000'000}};
  std::string lower;
  for (const char c : word) lower += static_cast<char>(c >= 'A' && c <= 'Z' ? c - 'A' + 'a' : c);
  const auto at = std::ranges::find(words, std::string_view(lower), &Word::text);
  return at == std::end(words) ? std::nullopt : std::optional(at->ns);
}

/// Reads "hours since 1900-01-01 00:00:0.0 +01:00".
std::optional<TimeUnit> time_unit_of(std::string_view units, bool mixed_calendar) {
  const std::size_t since = units.find(" since ");
  if (since == std::string_view::npos) return std::nullopt;
  const auto unit = unit_of(trim(units.substr(0, since)));
  if (!unit) return std::nullopt;
  const std::string date(trim(units.substr(since + 7)));
  long long year = 0, month = 0, day = 0;
  int read = 0;
  if (std::sscanf(date.c_str(), "%lld-%lld-%lld%n", &year, &month, &day, &read) != 3) {
    return std::nullopt;
  }
  if (month < 1 || month > 12 || day < 1 || day > 31) return std::nullopt;
  // The calendar called standard is the Julian one up to 1582-10-04.
  const bool julian =
      mixed_calendar && std::tuple(year, month, day) < std::tuple(1582LL, 10LL, 15LL);
  Wide ns = static_cast<Wide>(days_of(year, month, day, julian)) * 86'400'000'000'000;
  std::string rest = date.substr(static_cast<std::size_t>(read));
  if (!rest.empty() && (rest[0] == 'T' || rest[0] == 't')) rest[0] = ' ';
  int hour = 0, minute = 0;
  double second = 0;
  int used = 0;
  if (std::sscanf(rest.c_str(), " %d:%d:%lf%n", &hour, &minute, &second, &used) == 3 ||
      (second = 0, std::sscanf(rest.c_str(), " %d:%d%n", &hour, &minute, &used) == 2)) {
    rest = rest.substr(static_cast<std::size_t>(used));
    ns +=
        (static_cast<Wide>(hour) * 3600 + minute * 60) * 1'000'000'000 + std::llround(second * 1e9);
  }
  const std::string_view zone = trim(rest);
  int offset_hours = 0, offset_minutes = 0;
  const bool none = zone.empty() || zone == "Z" || zone == "UTC" || zone == "GMT";
  if (!none) {
    const std::string text(zone.substr(1));
    if (zone[0] != '+' && zone[0] != '-') return std::nullopt;
    if (std::sscanf(text.c_str(), "%2d:%2d", &offset_hours, &offset_minutes) < 1)
      return std::nullopt;
    const int minutes = offset_hours * 60 + offset_minutes;
    ns -= static_cast<Wide>(zone[0] == '-' ? -minutes : minutes) * 60'000'000'000;
  }
  return TimeUnit{*unit, ns};
}

/// Kilometres between two places on a sphere (the haversine formula: Sinnott 1984).
double kilometres(double lat1, double lon1, double lat2, double lon2) {
  constexpr double earth_km = 6371.0088, degree = std::numbers::pi / 180;
  const double half_lat = (lat2 - lat1) * degree / 2, half_lon = (lon2 - lon1) * degree / 2;
  const double a = std::pow(std::sin(half_lat), 2) + std::cos(lat1 * degree) *
                                                         std::cos(lat2 * degree) *
                                                         std::pow(std::sin(half_lon), 2);
  return 2 * earth_km * std::asin(std::min(1.0, std::sqrt(a)));
}

class NetcdfRows {
 public:
  NetcdfRows(const SourceText& text, const ReadOptions& options) : text_(text), options_(options) {
    open();
    try {
      find_variable();
      find_time();
      find_place();
      find_packing();
    } catch (...) {
      libnetcdf().nc_close(file_);
      throw;
    }
  }
  NetcdfRows(const NetcdfRows&) = delete;
  NetcdfRows& operator=(const NetcdfRows&) = delete;
  ~NetcdfRows() { libnetcdf().nc_close(file_); }

  std::vector<RowColumn> columns() const {
    return {{time_name_, RowType::instant, false},
            {variable_name_, whole_ ? RowType::integer : RowType::number, false}};
  }
  const std::vector<std::string>& notes() const { return notes_; }

  void rewind() { row_ = 0; }

  void next(RowBatch& out) {
    out.clear(2);
    const std::size_t rows = std::min(batch_rows, times_ - row_);
    out.rows = rows;
    if (rows == 0) return;
    take_times(rows, out.columns[0]);
    take_readings(rows, out.columns[1]);
    row_ += rows;
  }

 private:
  void check(int result) const {
    if (result == NC_NOERR) return;
    fail_input("{}: {}", text_.name, libnetcdf().nc_strerror(result));
  }

  void open() {
    // Packed files are read from memory.
    const std::string_view bytes = text_.all();
    const auto size = classic_netcdf_size(bytes);
    if (size && *size > bytes.size()) {
      fail_input(
          "{}: is cut short: by its header it has {} bytes, and there are {}; fetch it again",
          text_.name, *size, bytes.size());
    }
    const int result = text_.mapped
                           ? libnetcdf().nc_open(text_.name.c_str(), NC_NOWRITE, &file_)
                           : libnetcdf().nc_open_mem(text_.name.c_str(), NC_NOWRITE, bytes.size(),
                                                     const_cast<char*>(bytes.data()), &file_);
    check(result);
  }

  std::string name_of_variable(int variable) const {
    char name[NC_MAX_NAME + 1] = {};
    check(libnetcdf().nc_inq_varname(file_, variable, static_cast<char*>(name)));
    return static_cast<const char*>(name);
  }
  std::string name_of_dimension(int dimension) const {
    char name[NC_MAX_NAME + 1] = {};
    check(libnetcdf().nc_inq_dimname(file_, dimension, static_cast<char*>(name)));
    return static_cast<const char*>(name);
  }
  std::vector<int> dimensions_of(int variable) const {
    int count = 0;
    check(libnetcdf().nc_inq_varndims(file_, variable, &count));
    std::vector<int> dimensions(static_cast<std::size_t>(count));
    check(libnetcdf().nc_inq_vardimid(file_, variable, dimensions.data()));
    return dimensions;
  }
  std::size_t length_of(int dimension) const {
    std::size_t length = 0;
    check(libnetcdf().nc_inq_dimlen(file_, dimension, &length));
    return length;
  }

  /// A text attribute; empty when there is none.
  std::string attribute(int variable, const char* name) const {
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

  std::vector<double> numbers(int variable, const char* name) const {
    nc_type type = NC_NAT;
    std::size_t length = 0;
    if (libnetcdf().nc_inq_att(file_, variable, name, &type, &length) != NC_NOERR) return {};
    if (type == NC_CHAR || type == NC_STRING) return {};
    std::vector<double> values(length);
    check(libnetcdf().nc_get_att_double(file_, variable, name, values.data()));
    return values;
  }

  bool is_time(int variable) const {
    return attribute(variable, "units").find(" since ") != std::string::npos;
  }
  bool is_along(int variable, const char* standard_name, std::string_view unit,
                std::initializer_list<std::string_view> names) const {
    if (attribute(variable, "standard_name") == standard_name) return true;
    if (attribute(variable, "units").starts_with(unit)) return true;
    const std::string name = name_of_variable(variable);
    return std::ranges::find(names, std::string_view(name)) != names.end();
  }
  bool is_latitude(int variable) const {
    return is_along(variable, "latitude", "degrees_north", {"lat", "latitude"});
  }
  bool is_longitude(int variable) const {
    return is_along(variable, "longitude", "degrees_east", {"lon", "longitude"});
  }

  std::vector<int> variables() const {
    int count = 0;
    check(libnetcdf().nc_inq_nvars(file_, &count));
    std::vector<int> all(static_cast<std::size_t>(count));
    for (int i = 0; i < count; ++i) all[static_cast<std::size_t>(i)] = i;
    return all;
  }

  /// The coordinate variable of a dimension, which has its name; -1 without one.
  int coordinate_of(int dimension) const {
    int variable = -1;
    const bool there = libnetcdf().nc_inq_varid(file_, name_of_dimension(dimension).c_str(),
                                                &variable) == NC_NOERR;
    return there ? variable : -1;
  }

  /// The place of the time among a variable's dimensions.
  std::optional<std::size_t> time_place(int variable) const {
    const auto dimensions = dimensions_of(variable);
    for (std::size_t i = 0; i < dimensions.size(); ++i) {
      const int coordinate = coordinate_of(dimensions[i]);
      if (coordinate >= 0 && is_time(coordinate)) return i;
    }
    return std::nullopt;
  }

  void find_variable() {
    std::vector<std::string> names;
    for (const int variable : variables()) {
      const auto dimensions = dimensions_of(variable);
      const std::string name = name_of_variable(variable);
      const bool is_coordinate = dimensions.size() == 1 && name_of_dimension(dimensions[0]) == name;
      nc_type type = NC_NAT;
      check(libnetcdf().nc_inq_vartype(file_, variable, &type));
      const bool numeric = type != NC_CHAR && type <= NC_UINT64 && type != NC_STRING;
      if (is_coordinate || !numeric || !time_place(variable) || name.ends_with("_bnds") ||
          name.ends_with("_bounds")) {
        continue;
      }
      names.push_back(name);
    }
    if (names.empty()) fail_input("{}: has no variable along time", text_.name);
    variable_name_ = options_.variable;
    if (variable_name_.empty()) {
      if (names.size() > 1) {
        fail_usage("{}: has {} variables along time; say which: --variable NAME{}", text_.name,
                   names.size(), listed(names));
      }
      variable_name_ = names[0];
    }
    if (std::ranges::find(names, variable_name_) == names.end()) {
      fail_usage("--variable {}: {} has no such variable along time{}; there is {}",
                 shown(variable_name_), text_.name, did_you_mean(variable_name_, names),
                 fmt::join(names, ", "));
    }
    check(libnetcdf().nc_inq_varid(file_, variable_name_.c_str(), &variable_));
    dimensions_ = dimensions_of(variable_);
    start_.assign(dimensions_.size(), 0);
  }

  void find_time() {
    time_place_ = *time_place(variable_);
    const int dimension = dimensions_[time_place_];
    times_ = length_of(dimension);
    time_variable_ = coordinate_of(dimension);
    time_name_ = name_of_dimension(dimension);
    std::string calendar = attribute(time_variable_, "calendar");
    for (char& c : calendar) c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
    const bool mixed = calendar.empty() || calendar == "standard" || calendar == "gregorian";
    if (!mixed && calendar != "proleptic_gregorian") {
      fail_input(
          "{}: its times are of the calendar {}, whose days are not all there are; only standard, "
          "gregorian and proleptic_gregorian have instants",
          text_.name, shown(calendar));
    }
    const std::string units = attribute(time_variable_, "units");
    const auto unit = time_unit_of(units, mixed);
    if (!unit) {
      fail_input(
          "{}: the unit of its times, \"{}\", can't be read; it is like \"hours since "
          "1970-01-01 00:00:00\"",
          text_.name, shown(units));
    }
    unit_ = *unit;
  }

  /// Fixes every dimension but the time: the place, slices, and those of length 1.
  void find_place() {
    std::vector<bool> fixed(dimensions_.size(), false);
    fixed[time_place_] = true;
    take_slices(fixed);
    take_near(fixed);
    for (std::size_t i = 0; i < dimensions_.size(); ++i) {
      const std::size_t length = length_of(dimensions_[i]);
      if (fixed[i] || length == 1) continue;
      const std::string name = name_of_dimension(dimensions_[i]);
      fail_usage("{}: {} has {} places along {}; say which: --slice {}=INDEX, from 0{}", text_.name,
                 shown(variable_name_), length, shown(name), shown(name),
                 has_places() && options_.near.empty()
                     ? ", or the nearest to a place: --near LAT,LON"
                     : "");
    }
  }

  void take_slices(std::vector<bool>& fixed) {
    for (const auto& own : split_commas(options_.slice)) {
      const std::size_t equals = own.find('=');
      const std::string name = own.substr(0, equals);
      std::vector<std::string> names;
      for (const int dimension : dimensions_) names.push_back(name_of_dimension(dimension));
      const auto at = std::ranges::find(names, name);
      if (equals == std::string::npos || at == names.end() ||
          static_cast<std::size_t>(at - names.begin()) == time_place_) {
        names.erase(names.begin() + static_cast<std::ptrdiff_t>(time_place_));
        fail_usage("--slice {}: is not DIM=INDEX with a dimension of {}{}; there is {}", shown(own),
                   shown(variable_name_), did_you_mean(name, names), fmt::join(names, ", "));
      }
      const auto i = static_cast<std::size_t>(at - names.begin());
      std::int64_t index = -1;
      const char* const end = own.data() + own.size();
      const auto read = std::from_chars(own.data() + equals + 1, end, index);
      const std::size_t length = length_of(dimensions_[i]);
      if (read.ec != std::errc() || read.ptr != end || index < 0 ||
          static_cast<std::size_t>(index) >= length) {
        fail_usage("--slice {}: {} has the places 0 to {}", shown(own), shown(name), length - 1);
      }
      start_[i] = static_cast<std::size_t>(index);
      fixed[i] = true;
    }
  }

  /// The variables that hold the latitudes and longitudes of the variable's cells.
  struct Places {
    int latitude = -1, longitude = -1;
  };
  Places places() const {
    Places found;
    for (const int dimension : dimensions_) {
      const int coordinate = coordinate_of(dimension);
      if (coordinate < 0) continue;
      if (is_latitude(coordinate)) found.latitude = coordinate;
      if (is_longitude(coordinate)) found.longitude = coordinate;
    }
    if (found.latitude >= 0 && found.longitude >= 0) return found;
    // Of two dimensions that are no latitudes and longitudes, each cell has its own.
    std::string names = attribute(variable_, "coordinates") + " ";
    for (std::size_t from = 0; from < names.size();) {
      const std::size_t end = names.find(' ', from);
      int variable = -1;
      const bool there = libnetcdf().nc_inq_varid(file_, names.substr(from, end - from).c_str(),
                                                  &variable) == NC_NOERR;
      if (there && is_latitude(variable)) found.latitude = variable;
      if (there && is_longitude(variable)) found.longitude = variable;
      from = end + 1;
    }
    return found;
  }
  bool has_places() const {
    const Places found = places();
    return found.latitude >= 0 && found.longitude >= 0;
  }

  std::vector<double> values_of(int variable) const {
    std::size_t size = 1;
    for (const int dimension : dimensions_of(variable)) size *= length_of(dimension);
    std::vector<double> values(size);
    check(libnetcdf().nc_get_var_double(file_, variable, values.data()));
    return values;
  }

  void take_near(std::vector<bool>& fixed) {
    if (options_.near.empty()) return;
    double lat = 0, lon = 0;
    int used = 0;
    if (std::sscanf(options_.near.c_str(), "%lf,%lf%n", &lat, &lon, &used) != 2 ||
        static_cast<std::size_t>(used) != options_.near.size() || std::abs(lat) > 90 ||
        std::abs(lon) > 360) {
      fail_usage("--near {}: is not LAT,LON in degrees, like 53.35,-6.2", shown(options_.near));
    }
    const Places found = places();
    if (found.latitude < 0 || found.longitude < 0) {
      fail_usage("--near {}: {} has no latitudes and longitudes; see --slice", options_.near,
                 shown(variable_name_));
    }
    const auto lats = values_of(found.latitude), lons = values_of(found.longitude);
    const auto lat_dimensions = dimensions_of(found.latitude);
    const auto lon_dimensions = dimensions_of(found.longitude);
    const bool crossed = lat_dimensions.size() == 1 && lon_dimensions.size() == 1 &&
                         lat_dimensions != lon_dimensions;
    std::size_t best = 0, best_lon = 0;
    double nearest = HUGE_VAL;
    const auto look = [&](std::size_t i, std::size_t k) {
      const double own = kilometres(lat, lon, lats[i], lons[k]);
      if (!(own < nearest)) return;
      nearest = own;
      best = i;
      best_lon = k;
    };
    for (std::size_t i = 0; i < lats.size(); ++i) {
      if (!crossed) look(i, i);
      for (std::size_t k = 0; crossed && k < lons.size(); ++k) look(i, k);
    }
    if (!std::isfinite(nearest)) fail_input("{}: has no places that are numbers", text_.name);
    const auto fix = [&](int dimension, std::size_t index) {
      const auto at = std::ranges::find(dimensions_, dimension);
      if (at == dimensions_.end()) return;
      const auto i = static_cast<std::size_t>(at - dimensions_.begin());
      if (fixed[i])
        fail_usage("--near and --slice both say the place along {}",
                   shown(name_of_dimension(dimension)));
      start_[i] = index;
      fixed[i] = true;
    };
    if (crossed) {
      fix(lat_dimensions[0], best);
      fix(lon_dimensions[0], best_lon);
    } else {
      std::size_t rest = best;
      for (std::size_t i = lat_dimensions.size(); i-- > 0;) {
        const std::size_t length = length_of(lat_dimensions[i]);
        fix(lat_dimensions[i], rest % length);
        rest /= length;
      }
    }
    notes_.push_back(fmt::format("{}: the nearest cell to {} is at {:.6g},{:.6g}, {:.4g} km away",
                                 variable_name_, options_.near, lats[best], lons[best_lon],
                                 nearest));
  }

  void find_packing() {
    const auto scale = numbers(variable_, "scale_factor"),
               offset = numbers(variable_, "add_offset");
    if (!scale.empty()) scale_ = scale[0];
    if (!offset.empty()) offset_ = offset[0];
    nc_type type = NC_NAT;
    check(libnetcdf().nc_inq_vartype(file_, variable_, &type));
    is_float_ = type == NC_FLOAT;
    whole_ = type != NC_FLOAT && type != NC_DOUBLE && type != NC_UINT64 && scale.empty() &&
             offset.empty();
    for (const char* name : {"_FillValue", "missing_value"}) {
      const auto own = numbers(variable_, name);
      fills_.insert(fills_.end(), own.begin(), own.end());
    }
    if (numbers(variable_, "_FillValue").empty()) add_usual_fill(type);
    const auto range = numbers(variable_, "valid_range");
    if (range.size() == 2) {
      least_ = range[0];
      most_ = range[1];
    }
    if (const auto own = numbers(variable_, "valid_min"); !own.empty()) least_ = own[0];
    if (const auto own = numbers(variable_, "valid_max"); !own.empty()) most_ = own[0];
  }

  /// What the library fills cells with that nobody wrote.
  void add_usual_fill(nc_type type) {
    switch (type) {
      case NC_SHORT:
        return fills_.push_back(NC_FILL_SHORT);
      case NC_INT:
        return fills_.push_back(NC_FILL_INT);
      case NC_INT64:
        return fills_.push_back(static_cast<double>(NC_FILL_INT64));
      case NC_FLOAT:
        return fills_.push_back(static_cast<double>(NC_FILL_FLOAT));
      case NC_DOUBLE:
        return fills_.push_back(NC_FILL_DOUBLE);
      default:
        return;
    }
  }

  void take_times(std::size_t rows, RowBatch::Cells& cells) const {
    cells.bits.resize(rows);
    nc_type type = NC_NAT;
    check(libnetcdf().nc_inq_vartype(file_, time_variable_, &type));
    const bool real = type == NC_FLOAT || type == NC_DOUBLE;
    const auto fills = numbers(time_variable_, "_FillValue");
    std::vector<double> reals(real ? rows : 0);
    std::vector<long long> wholes(real ? 0 : rows);
    check(real ? libnetcdf().nc_get_vara_double(file_, time_variable_, &row_, &rows, reals.data())
               : libnetcdf().nc_get_vara_longlong(file_, time_variable_, &row_, &rows,
                                                  wholes.data()));
    for (std::size_t i = 0; i < rows; ++i) {
      const auto row = static_cast<std::uint32_t>(i);
      const double rough = real ? reals[i] : static_cast<double>(wholes[i]);
      cells.bits[i] = 0;
      if (std::isnan(rough) || (!fills.empty() && rough == fills[0])) {
        cells.missing.push_back(row);
        continue;
      }
      constexpr double furthest = 1e12;
      Wide ns = 0;
      bool past = std::abs(rough) * static_cast<double>(unit_.unit) > furthest * 1e12;
      if (!past && real) {
        ns = static_cast<Wide>(std::llroundl(static_cast<long double>(rough - std::floor(rough)) *
                                             static_cast<long double>(unit_.unit)));
        ns += static_cast<Wide>(std::floor(rough)) * unit_.unit;
        // Binary fractions of days and hours are never just so: to the microsecond they are.
        ns = (ns + (ns < 0 ? -500 : 500)) / 1000 * 1000;
      } else if (!past) {
        ns = static_cast<Wide>(wholes[i]) * unit_.unit;
      }
      ns += unit_.origin;
      past |= ns > INT64_MAX || ns < INT64_MIN;
      if (past) {
        cells.out_of_range.push_back(row);
      } else {
        cells.bits[i] = static_cast<std::uint64_t>(static_cast<std::int64_t>(ns));
      }
    }
  }

  void take_readings(std::size_t rows, RowBatch::Cells& cells) {
    cells.bits.resize(rows);
    start_[time_place_] = row_;
    std::vector<std::size_t> count(dimensions_.size(), 1);
    count[time_place_] = rows;
    std::vector<double> values(rows);
    check(libnetcdf().nc_get_vara_double(file_, variable_, start_.data(), count.data(),
                                         values.data()));
    std::vector<long long> wholes(whole_ ? rows : 0);
    if (whole_) {
      check(libnetcdf().nc_get_vara_longlong(file_, variable_, start_.data(), count.data(),
                                             wholes.data()));
    }
    for (std::size_t i = 0; i < rows; ++i) {
      const double raw = values[i];
      const bool filled = std::ranges::any_of(fills_, [&](double fill) {
        return raw == fill || (is_float_ && static_cast<float>(raw) == static_cast<float>(fill));
      });
      const bool missing = std::isnan(raw) || filled || raw < least_ || raw > most_;
      if (missing) cells.missing.push_back(static_cast<std::uint32_t>(i));
      cells.bits[i] = whole_ ? static_cast<std::uint64_t>(wholes[i])
                             : std::bit_cast<std::uint64_t>(raw * scale_ + offset_);
    }
  }

  SourceText text_;
  ReadOptions options_;
  int file_ = -1;
  int variable_ = -1, time_variable_ = -1;
  std::string variable_name_, time_name_;
  std::vector<int> dimensions_;
  std::vector<std::size_t> start_;
  std::size_t time_place_ = 0, times_ = 0, row_ = 0;
  TimeUnit unit_;
  double scale_ = 1, offset_ = 0;
  double least_ = -HUGE_VAL, most_ = HUGE_VAL;
  bool whole_ = false, is_float_ = false;
  std::vector<double> fills_;
  std::vector<std::string> notes_;
};

}  // namespace

bool begins_as_netcdf(std::string_view head) {
  const bool classic = head.starts_with("CDF") && head.size() > 3 &&
                       (head[3] == '\1' || head[3] == '\2' || head[3] == '\5');
  return classic || head.starts_with("\x89HDF\r\n\x1a\n");
}

std::shared_ptr<RowSource> open_netcdf(const SourceText& text, const ReadOptions& options) {
  auto rows = std::make_shared<NetcdfRows>(text, options);
  auto source = row_source_of(rows);
  source->notes = rows->notes();
  return source;
}

}  // namespace zerobeat::detail
