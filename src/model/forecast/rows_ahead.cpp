#include "model/forecast/rows_ahead.hpp"

#include <boost/math/distributions/normal.hpp>

namespace zerobeat::inline v1::detail {

double normal_quantile(double p) {
  return boost::math::quantile(boost::math::normal_distribution<double>(), p);
}

RowsAhead normal_bands(std::vector<double> value, std::span<const double> deviation,
                       std::span<const double> shares) {
  RowsAhead out;
  for (const double share : shares) {
    const double z = normal_quantile((1 + share) / 2);
    std::vector<double>& low = out.low.emplace_back();
    std::vector<double>& high = out.high.emplace_back();
    for (std::size_t h = 0; h < value.size(); ++h) {
      low.push_back(value[h] - z * deviation[h]);
      high.push_back(value[h] + z * deviation[h]);
    }
  }
  out.value = std::move(value);
  return out;
}

}  // namespace zerobeat::detail
