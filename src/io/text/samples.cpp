#include "io/text/samples.hpp"

#include <algorithm>

#include "io/judge/time_cells.hpp"
#include "io/text/cell_table.hpp"
#include "io/text/split_json.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Takes samples of one part, as many as its share of the source asks for.
class Sampler {
 public:
  Sampler(const FoundPart& part, const Layout& layout, std::size_t parts, Samples& samples)
      : part_(part), layout_(layout), samples_(samples) {
    spots_ = std::max<std::size_t>(1, 48 / parts);
    first_ = std::max<std::size_t>(4, 200 / parts);
  }

  void take(std::string_view text) {
    const std::size_t begin = part_.shape.data_begin;
    if (begin > text.size()) return;
    const std::size_t size = text.size() - begin;
    std::size_t read_until = begin;
    for (std::size_t spot = 0; spot < spots_; ++spot) {
      std::size_t at = begin + size / spots_ * spot;
      if (spot > 0) at = after_line(text, at);
      at = std::max(at, read_until);
      const std::size_t most = spot == 0 ? first_ : 20;
      const std::size_t stop = std::min(text.size(), at + (std::size_t{1} << 20));
      for (std::size_t n = 0; n < most && at < stop; ++n) at = take_one(text, at);
      read_until = at;
    }
  }

 private:
  std::size_t take_one(std::string_view text, std::size_t at) {
    if (layout_.comment && text[at] == *layout_.comment) return after_line(text, at);
    const Shape& shape = part_.shape;
    LooseRecord record;
    if (shape.form.named) {
      const std::size_t end = after_line(text, at);
      if (read_loose_json(text.substr(at, end - at), shape.names, record.cells)) {
        add(std::move(record.cells));
      }
      return end;
    }
    record = read_loose_record(text, at, shape.delimiter, shape.quote, shape.runs);
    if (!record.blank && !record.broken && record.cells.size() == shape.names.size()) {
      add(std::move(record.cells));
    }
    return record.end;
  }

  void add(std::vector<std::string> cells) {
    std::vector<std::string> sample(part_.cells.size());
    for (std::size_t i = 0; i < sample.size(); ++i) {
      if (part_.cells[i] != absent_cell) sample[i] = std::move(cells[part_.cells[i]]);
    }
    samples_.push_back(std::move(sample));
  }

  const FoundPart& part_;
  const Layout& layout_;
  Samples& samples_;
  std::size_t spots_ = 1, first_ = 1;
};

}  // namespace

Samples take_samples(const OpenSource& source, const FoundLayout& found) {
  Samples samples;
  for (std::size_t i = 0; i < found.parts.size(); ++i) {
    const Part& part = source.parts[i];
    if (part.rows) {
      RowBatch batch;
      part.rows->next(batch);
      const std::size_t most = std::max<std::size_t>(4, 1000 / found.parts.size());
      for (std::size_t row = 0; row < std::min(batch.rows, most); ++row) {
        auto& sample = samples.emplace_back(found.names.size());
        for (std::size_t c = 0; c < sample.size(); ++c) {
          const std::size_t cell = found.parts[i].cells[c];
          if (cell == absent_cell) continue;
          sample[c] = cell_text(part.rows->columns[cell], batch.columns[cell], row);
        }
      }
      part.rows->rewind();
      continue;
    }
    const std::string_view text =
        part.text.stream ? part.text.until(head_bytes).substr(0, head_bytes) : part.text.text;
    Sampler(found.parts[i], found.layout, found.parts.size(), samples).take(text);
  }
  return samples;
}

std::vector<std::string> time_samples(const Samples& samples, const Layout& layout,
                                      const MissingWords& missing_words) {
  std::vector<std::string> texts;
  std::string joined;
  for (const auto& record : samples) {
    const std::string_view text = joined_time(
        layout, missing_words, [&](std::size_t c) { return std::string_view(record[c]); }, joined);
    if (!text.empty()) texts.emplace_back(text);
  }
  return texts;
}

std::vector<std::string> column_samples(const Samples& samples, std::size_t cell,
                                        const MissingWords& missing_words) {
  std::vector<std::string> texts;
  for (const auto& record : samples) {
    if (!missing_words.holds(record[cell])) texts.push_back(record[cell]);
  }
  return texts;
}

}  // namespace zerobeat::detail
