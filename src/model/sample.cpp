#include "model/sample.hpp"

#include <algorithm>

#include "base/parallel.hpp"

namespace zerobeat::inline v1::detail {

Reduced reduced(const Sample& sample, const Strand& strand, std::span<const double> more) {
  constexpr std::size_t chunk = 65'536, block_rows = 192;
  const std::size_t columns = sample.columns() + 1;
  const std::size_t chunks = (strand.size() + chunk - 1) / chunk;
  std::vector<Reduced> parts(chunks, Reduced{Triangle(columns)});
  parallel_for(std::size_t{0}, chunks, [&](std::size_t c) {
    Reduced& part = parts[c];
    std::vector<long double> block(columns * block_rows);
    std::size_t filled = 0;
    const std::size_t begin = strand.begin + c * chunk;
    const std::size_t end = std::min(strand.end, begin + chunk);
    const auto y = sample.y.numbers();
    for (std::size_t row = begin; row < end; ++row) {
      if (!sample.uses(row)) continue;
      long double root = 1;
      if (sample.weights || !more.empty()) {
        const double weight = sample.weight(row);
        part.log_weights += std::log(static_cast<long double>(weight));
        root = std::sqrt(static_cast<long double>(weight) *
                         (more.empty() ? 1 : more[row - strand.begin]));
      }
      std::size_t j = 0;
      if (sample.constant) block[filled] = root, ++j;
      for (const Column& term : sample.terms) {
        block[j++ * block_rows + filled] = root * term.numbers()[row];
      }
      block[j * block_rows + filled] = root * y[row];
      ++part.rows;
      if (++filled == block_rows) {
        part.triangle.add(block, filled, block_rows);
        filled = 0;
      }
    }
    if (filled > 0) part.triangle.add(block, filled, block_rows);
  });
  Reduced all{Triangle(columns)};
  for (const Reduced& part : parts) {
    all.triangle.merge(part.triangle);
    all.rows += part.rows;
    all.log_weights += part.log_weights;
  }
  return all;
}

long double residual(const Sample& sample, std::size_t row,
                     std::span<const long double> coefficients) {
  long double rest = sample.y.numbers()[row];
  std::size_t j = 0;
  if (sample.constant) rest -= coefficients[j++];
  for (const Column& term : sample.terms) rest -= coefficients[j++] * term.numbers()[row];
  return rest;
}

}  // namespace zerobeat::detail
