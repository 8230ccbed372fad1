/// Kalman's filter of readings whose differences follow a process: readings may be missing, and
/// what lies ahead has a variance.

#pragma once

#include <cstddef>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "model/forecast/process.hpp"
#include "model/forecast/whiten.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Differences taken: x_t less Σ back[j] x_{t-1-j} is the process.
struct Differences {
  std::vector<double> back{};

  /// (1 - B)^ordinary (1 - B^season)^seasonal.
  [[nodiscard]] static Differences of(int ordinary, int seasonal, std::size_t season);
  [[nodiscard]] std::size_t size() const { return back.size(); }
  /// Of readings, as many fewer.
  [[nodiscard]] std::vector<double> taken(std::span<const double> readings) const;
};

/// Columns at the rows ahead, `values[c][h]`, and the variance of what they miss, that of the
/// shocks being 1.
struct StateAhead {
  std::vector<std::vector<double>> values{};
  std::vector<double> variance{};
};

/// The companion form of the process with the readings before beside it (Harvey 1989, section 4.2),
/// over columns of readings of which the first are given. Cost: for each row the square of the
/// state; memory the same.
class StateFilter {
 public:
  StateFilter(const Process& process, const Differences& differences);

  /// Takes all rows of the columns; `is_missing` rows are passed over in all of them alike, none
  /// among the first that are given. The products as whiten() has them.
  Whitened take(std::span<const std::span<const double>> columns,
                const std::vector<bool>& is_missing);
  /// After the rows taken.
  [[nodiscard]] StateAhead ahead(std::size_t rows) const;

 private:
  void begin(const Process& process);
  /// What a state says of its row's reading.
  [[nodiscard]] double reading_of(const double* state) const;
  /// The covariance of that and each number of the state; its variance.
  double load(std::vector<double>& gain, const std::vector<double>& covariance) const;
  /// To the next row: of a reading that was seen, or not.
  void move_on(std::vector<double>& state, double reading) const;
  void move_on(std::vector<double>& covariance, const std::vector<double>& gain, double variance,
               bool is_seen) const;
  [[nodiscard]] bool is_settled(double variance) const;

  // The state: the process, as many numbers as it has dimensions, then the readings before, the
  // last of them last; each moves up by one from row to row.
  std::size_t r_, size_;
  std::vector<double> ar_, ma_, covariance_;
  std::vector<std::size_t> ar_at_{}, ma_at_{};  ///< where they are not 0
  struct Before {
    std::size_t at;
    double share;
  };
  std::vector<Before> before_{};  ///< what the differences take of the readings before
  std::size_t given_ = 0;
  std::vector<std::vector<double>> states_{};
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
