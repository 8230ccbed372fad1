#include "model/sample.hpp"

#include <algorithm>

#include "base/parallel.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t sampled_block_rows = 192;

struct BlockOfRows {
  std::size_t begin = 0, end = 0;
  std::size_t strand_begin = 0;
};

/// Adds the rows of a block that are used, each times the root of its weight.
void add_some(Reduced& part, const Sample& sample, const SampleRows& rows,
              std::span<const double> more, const BlockOfRows& of, std::span<long double> block) {
  std::size_t filled = 0;
  for (std::size_t row = of.begin; row < of.end; ++row) {
    if (!rows.uses(row)) continue;
    long double root = 1;
    if (sample.weights || !more.empty()) {
      const double weight = sample.weight(row);
      part.log_weights += std::log(static_cast<long double>(weight));
      root = std::sqrt(static_cast<long double>(weight) *
                       (more.empty() ? 1 : more[row - of.strand_begin]));
    }
    std::size_t j = 0;
    if (sample.constant) block[filled] = root, ++j;
    for (const double* term : rows.terms())
      block[j++ * sampled_block_rows + filled] = root * term[row];
    block[j * sampled_block_rows + filled] = root * rows.y(row);
    ++part.rows;
    ++filled;
  }
  if (filled > 0) part.triangle.add(block, filled, sampled_block_rows);
}

}  // namespace

Reduced reduced(const Sample& sample, const Strand& strand, std::span<const double> more) {
  constexpr std::size_t chunk = 342 * sampled_block_rows;
  const std::size_t columns = sample.columns() + 1;
  const std::size_t chunks = (strand.size() + chunk - 1) / chunk;
  std::vector<Reduced> parts(chunks, Reduced{Triangle(columns)});
  const SampleRows rows(sample);
  parallel_for(std::size_t{0}, chunks, [&](std::size_t c) {
    Reduced& part = parts[c];
    std::vector<long double> block(columns * sampled_block_rows);
    const std::size_t begin = strand.begin + c * chunk;
    const std::size_t end = std::min(strand.end, begin + chunk);
    for (std::size_t row = begin; row < end; row += sampled_block_rows) {
      const std::size_t until = std::min(end, row + sampled_block_rows);
      if (more.empty() && rows.all_used(row, until)) {
        part.triangle.add(rows.columns(row), until - row, block, sampled_block_rows);
        part.rows += static_cast<std::int64_t>(until - row);
      } else {
        add_some(part, sample, rows, more, {row, until, strand.begin}, block);
      }
    }
  });
  Reduced all{Triangle(columns)};
  for (const Reduced& part : parts) {
    all.triangle.merge(part.triangle);
    all.rows += part.rows;
    all.log_weights += part.log_weights;
  }
  return all;
}

SampleRows::SampleRows(const Sample& sample)
    : sample_(&sample), constant_(sample.constant), y_(sample.y.numbers().data()) {
  dense_ = sample.y.validity().all() && !sample.weights;
  for (const Column& term : sample.terms) {
    dense_ = dense_ && term.validity().all();
    terms_.push_back(term.numbers().data());
  }
}

double durbin_watson(const Sample& sample, const Strand& strand,
                     std::span<const long double> coefficients) {
  constexpr std::size_t chunk = 65'536;
  struct Part {
    long double steps = 0, squares = 0, first = 0, last = 0;
    bool any = false;
  };
  const std::size_t chunks = (strand.size() + chunk - 1) / chunk;
  std::vector<Part> parts(chunks);
  const SampleRows rows(sample);
  parallel_for(std::size_t{0}, chunks, [&](std::size_t c) {
    Part part;
    const std::size_t begin = strand.begin + c * chunk;
    for (std::size_t row = begin; row < std::min(strand.end, begin + chunk); ++row) {
      if (!rows.uses(row)) continue;
      const long double rest = rows.residual(row, coefficients);
      if (part.any) {
        part.steps += (rest - part.last) * (rest - part.last);
      } else {
        part.first = rest;
      }
      part.squares += rest * rest;
      part.last = rest;
      part.any = true;
    }
    parts[c] = part;
  });
  Part all;
  for (const Part& part : parts) {
    if (!part.any) continue;
    const long double step = part.first - all.last;
    all.steps += part.steps + (all.any ? step * step : 0);
    all.squares += part.squares;
    all.last = part.last;
    all.any = true;
  }
  return static_cast<double>(all.steps / all.squares);
}

}  // namespace zerobeat::detail
