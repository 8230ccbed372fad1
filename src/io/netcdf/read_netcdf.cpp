#include "io/netcdf/read_netcdf.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <charconv>
#include <cmath>
#include <numbers>
#include <optional>
#include <zerobeat/base/text.hpp>

#include "io/netcdf/netcdf_file.hpp"
#include "io/netcdf/netcdf_time.hpp"
#include "io/source/listed.hpp"

namespace zerobeat::inline v1::detail {

namespace {

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
  NetcdfRows(const SourceText& text, const ReadOptions& options)
      : text_(text), options_(options), file_(text_) {
    const auto lock = NetcdfFile::alone();
    find_variable();
    find_time();
    find_place();
    find_packing();
  }

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
    const auto lock = NetcdfFile::alone();
    take_times(rows, out.columns[0]);
    take_readings(rows, out.columns[1]);
    row_ += rows;
  }

 private:
  bool is_time(int variable) const {
    return file_.attribute(variable, "units").find(" since ") != std::string::npos;
  }
  bool is_along(int variable, const char* standard_name, std::string_view unit,
                std::initializer_list<std::string_view> names) const {
    if (file_.attribute(variable, "standard_name") == standard_name) return true;
    if (file_.attribute(variable, "units").starts_with(unit)) return true;
    const std::string name = file_.name_of_variable(variable);
    return std::ranges::find(names, std::string_view(name)) != names.end();
  }
  bool is_latitude(int variable) const {
    return is_along(variable, "latitude", "degrees_north", {"lat", "latitude"});
  }
  bool is_longitude(int variable) const {
    return is_along(variable, "longitude", "degrees_east", {"lon", "longitude"});
  }

  /// The place of the time among a variable's dimensions.
  std::optional<std::size_t> time_place(int variable) const {
    const auto dimensions = file_.dimensions_of(variable);
    for (std::size_t i = 0; i < dimensions.size(); ++i) {
      const int coordinate = file_.coordinate_of(dimensions[i]);
      if (coordinate >= 0 && is_time(coordinate)) return i;
    }
    return std::nullopt;
  }

  void find_variable() {
    std::vector<std::string> names;
    for (const int variable : file_.variables()) {
      const auto dimensions = file_.dimensions_of(variable);
      const std::string name = file_.name_of_variable(variable);
      const bool is_coordinate =
          dimensions.size() == 1 && file_.name_of_dimension(dimensions[0]) == name;
      const nc_type type = file_.type_of(variable);
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
        fail_usage("{}: has {} variables along time; say which: ‹variable› NAME{}", text_.name,
                   names.size(), listed(names));
      }
      variable_name_ = names[0];
    }
    if (std::ranges::find(names, variable_name_) == names.end()) {
      fail_usage("‹variable› {}: {} has no such variable along time{}; there is {}",
                 shown(variable_name_), text_.name, did_you_mean(variable_name_, names),
                 fmt::join(names, ", "));
    }
    variable_ = file_.variable(variable_name_);
    dimensions_ = file_.dimensions_of(variable_);
    start_.assign(dimensions_.size(), 0);
  }

  void find_time() {
    time_place_ = *time_place(variable_);
    const int dimension = dimensions_[time_place_];
    times_ = file_.length_of(dimension);
    time_variable_ = file_.coordinate_of(dimension);
    time_name_ = file_.name_of_dimension(dimension);
    std::string calendar = file_.attribute(time_variable_, "calendar");
    for (char& c : calendar) c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
    const bool mixed = calendar.empty() || calendar == "standard" || calendar == "gregorian";
    if (!mixed && calendar != "proleptic_gregorian") {
      fail_input(
          "{}: its times are of the calendar {}, whose days are not all there are; only standard, "
          "gregorian and proleptic_gregorian have instants",
          text_.name, shown(calendar));
    }
    const std::string units = file_.attribute(time_variable_, "units");
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
      const std::size_t length = file_.length_of(dimensions_[i]);
      if (fixed[i] || length == 1) continue;
      const std::string name = file_.name_of_dimension(dimensions_[i]);
      fail_usage("{}: {} has {} places along {}; say which: ‹slice› {}=INDEX, from 0{}", text_.name,
                 shown(variable_name_), length, shown(name), shown(name),
                 has_places() && options_.near.empty()
                     ? ", or the nearest to a place: ‹near› LAT,LON"
                     : "");
    }
  }

  void take_slices(std::vector<bool>& fixed) {
    for (const auto& part : split_commas(options_.slice)) {
      const std::size_t equals = part.find('=');
      const std::string name = part.substr(0, equals);
      std::vector<std::string> names;
      for (const int dimension : dimensions_) names.push_back(file_.name_of_dimension(dimension));
      const auto at = std::ranges::find(names, name);
      if (equals == std::string::npos || at == names.end() ||
          static_cast<std::size_t>(at - names.begin()) == time_place_) {
        names.erase(names.begin() + static_cast<std::ptrdiff_t>(time_place_));
        fail_usage("‹slice› {}: is not DIM=INDEX with a dimension of {}{}; there is {}",
                   shown(part), shown(variable_name_), did_you_mean(name, names),
                   fmt::join(names, ", "));
      }
      const auto i = static_cast<std::size_t>(at - names.begin());
      std::int64_t index = -1;
      const char* const end = part.data() + part.size();
      const auto read = std::from_chars(part.data() + equals + 1, end, index);
      const std::size_t length = file_.length_of(dimensions_[i]);
      if (read.ec != std::errc() || read.ptr != end || index < 0 ||
          static_cast<std::size_t>(index) >= length) {
        fail_usage("‹slice› {}: {} has the places 0 to {}", shown(part), shown(name), length - 1);
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
      const int coordinate = file_.coordinate_of(dimension);
      if (coordinate < 0) continue;
      if (is_latitude(coordinate)) found.latitude = coordinate;
      if (is_longitude(coordinate)) found.longitude = coordinate;
    }
    if (found.latitude >= 0 && found.longitude >= 0) return found;
    // Of two dimensions that are no latitudes and longitudes, each cell has its own.
    std::string names = file_.attribute(variable_, "coordinates") + " ";
    for (std::size_t from = 0; from < names.size();) {
      const std::size_t end = names.find(' ', from);
      const int variable = file_.variable(names.substr(from, end - from));
      if (variable >= 0 && is_latitude(variable)) found.latitude = variable;
      if (variable >= 0 && is_longitude(variable)) found.longitude = variable;
      from = end + 1;
    }
    return found;
  }
  bool has_places() const {
    const Places found = places();
    return found.latitude >= 0 && found.longitude >= 0;
  }

  void take_near(std::vector<bool>& fixed) {
    if (options_.near.empty()) return;
    double lat = 0, lon = 0;
    int used = 0;
    if (std::sscanf(options_.near.c_str(), "%lf,%lf%n", &lat, &lon, &used) != 2 ||
        static_cast<std::size_t>(used) != options_.near.size() || std::abs(lat) > 90 ||
        std::abs(lon) > 360) {
      fail_usage("‹near› {}: is not LAT,LON in degrees, like 53.35,-6.2", shown(options_.near));
    }
    const Places found = places();
    if (found.latitude < 0 || found.longitude < 0) {
      fail_usage("‹near› {}: {} has no latitudes and longitudes; see ‹slice›", options_.near,
                 shown(variable_name_));
    }
    const auto lats = file_.values_of(found.latitude), lons = file_.values_of(found.longitude);
    const auto lat_dimensions = file_.dimensions_of(found.latitude);
    const auto lon_dimensions = file_.dimensions_of(found.longitude);
    const bool crossed = lat_dimensions.size() == 1 && lon_dimensions.size() == 1 &&
                         lat_dimensions != lon_dimensions;
    std::size_t best = 0, best_lon = 0;
    double nearest = HUGE_VAL;
    const auto look = [&](std::size_t i, std::size_t k) {
      const double value = kilometres(lat, lon, lats[i], lons[k]);
      if (!(value < nearest)) return;
      nearest = value;
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
        fail_usage("‹near› and ‹slice› both say the place along {}",
                   shown(file_.name_of_dimension(dimension)));
      start_[i] = index;
      fixed[i] = true;
    };
    if (crossed) {
      fix(lat_dimensions[0], best);
      fix(lon_dimensions[0], best_lon);
    } else {
      std::size_t rest = best;
      for (std::size_t i = lat_dimensions.size(); i-- > 0;) {
        const std::size_t length = file_.length_of(lat_dimensions[i]);
        fix(lat_dimensions[i], rest % length);
        rest /= length;
      }
    }
    notes_.push_back(fmt::format("{}: the nearest cell to {} is at {:.6g},{:.6g}, {:.4g} km away",
                                 variable_name_, options_.near, lats[best], lons[best_lon],
                                 nearest));
  }

  void find_packing() {
    const auto scale = file_.numbers(variable_, "scale_factor"),
               offset = file_.numbers(variable_, "add_offset");
    if (!scale.empty()) scale_ = scale[0];
    if (!offset.empty()) offset_ = offset[0];
    const nc_type type = file_.type_of(variable_);
    is_float_ = type == NC_FLOAT;
    whole_ = type != NC_FLOAT && type != NC_DOUBLE && type != NC_UINT64 && scale.empty() &&
             offset.empty();
    for (const char* name : {"_FillValue", "missing_value"}) {
      const auto own = file_.numbers(variable_, name);
      fills_.insert(fills_.end(), own.begin(), own.end());
    }
    if (file_.numbers(variable_, "_FillValue").empty()) add_usual_fill(type);
    const auto range = file_.numbers(variable_, "valid_range");
    if (range.size() == 2) {
      least_ = range[0];
      most_ = range[1];
    }
    if (const auto own = file_.numbers(variable_, "valid_min"); !own.empty()) least_ = own[0];
    if (const auto own = file_.numbers(variable_, "valid_max"); !own.empty()) most_ = own[0];
  }

  /// What the library fills cells with that nobody wrote.
  void add_usual_fill(nc_type type) {
    switch (type) {
      case NC_SHORT:
        return fills_.push_back(NC_FILL_SHORT);
      case NC_USHORT:
        return fills_.push_back(NC_FILL_USHORT);
      case NC_UINT:
        return fills_.push_back(NC_FILL_UINT);
      case NC_INT:
        return fills_.push_back(NC_FILL_INT);
      case NC_INT64:
        return fills_.push_back(static_cast<double>(NC_FILL_INT64));
      case NC_UINT64:
        return fills_.push_back(static_cast<double>(NC_FILL_UINT64));
      case NC_FLOAT:
        return fills_.push_back(static_cast<double>(NC_FILL_FLOAT));
      case NC_DOUBLE:
        return fills_.push_back(NC_FILL_DOUBLE);
      default:
        return;
    }
  }

  void take_times(std::size_t rows, RowBatch::Cells& cells) const {
    const nc_type type = file_.type_of(time_variable_);
    if (type == NC_FLOAT || type == NC_DOUBLE) {
      take_counts<double>(rows, cells);
    } else {
      take_counts<std::int64_t>(rows, cells);
    }
  }

  template <typename Count>
  void take_counts(std::size_t rows, RowBatch::Cells& cells) const {
    cells.bits.resize(rows);
    const auto fills = file_.numbers(time_variable_, "_FillValue");
    std::vector<Count> counts(rows);
    file_.read(time_variable_, &row_, &rows, counts.data());
    for (std::size_t i = 0; i < rows; ++i) {
      const auto row = static_cast<std::uint32_t>(i);
      const auto rough = static_cast<double>(counts[i]);
      cells.bits[i] = 0;
      if (std::isnan(rough) || (!fills.empty() && rough == fills[0])) {
        cells.missing.push_back(row);
      } else if (const auto instant = unit_.instant_of(counts[i])) {
        cells.bits[i] = static_cast<std::uint64_t>(*instant);
      } else {
        cells.out_of_range.push_back(row);
      }
    }
  }

  void take_readings(std::size_t rows, RowBatch::Cells& cells) {
    cells.bits.resize(rows);
    start_[time_place_] = row_;
    std::vector<std::size_t> count(dimensions_.size(), 1);
    count[time_place_] = rows;
    std::vector<double> values(rows);
    file_.read(variable_, start_.data(), count.data(), values.data());
    std::vector<std::int64_t> wholes(whole_ ? rows : 0);
    if (whole_) file_.read(variable_, start_.data(), count.data(), wholes.data());
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
  NetcdfFile file_;
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
  source->notes = [rows] { return rows->notes(); };
  return source;
}

}  // namespace zerobeat::detail
