#include "io/judge/pass.hpp"

#include <tbb/concurrent_queue.h>
#include <tbb/parallel_pipeline.h>
#include <tbb/task_arena.h>

#include <atomic>
#include <memory>
#include <utility>
#include <vector>

#include "base/parallel.hpp"
#include "io/judge/take_rows.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Chunks do not depend on the number of threads, so that neither does anything read from them.
constexpr std::size_t usual_chunk_bytes = std::size_t{1} << 17;

/// Where a chunk that would start at `target` starts: after the next newline. Of a stream, once
/// that has arrived.
std::size_t chunk_start(const SourceText& source, std::size_t target) {
  std::size_t looked_at = target - 1;
  for (;;) {
    const std::string_view text = source.until(target + 1);
    if (target >= text.size()) return text.size();
    const std::size_t newline = text.find('\n', looked_at);
    if (newline != std::string_view::npos) return newline + 1;
    if (source.is_whole()) return source.all().size();
    looked_at = text.size();
    target = text.size() + (std::size_t{1} << 20);
  }
}

/// A stretch of one part's text on its way through the pipeline, or a batch of its rows.
struct Work {
  std::size_t part = 0;
  std::size_t begin = 0, end = 0;
  std::size_t passed_rows = 0;  ///< rows before these that were passed over
  bool first = false;           ///< of its part
  RowBatch batch{};
  Chunk chunk{};
};

/// One pass over the records. Chunks are read in parallel on the belief that each starts a
/// record; the one before knows where it really ended, and where that differs, the chunk is read
/// again from there.
class Pass {
 public:
  Pass(const OpenSource& source, const FoundLayout& found, const MissingWords& missing_words,
       std::size_t chunk_bytes, Assembly& assembly, Stretching* stretching)
      : source_(source),
        found_(found),
        missing_words_(missing_words),
        chunk_bytes_(chunk_bytes),
        assembly_(assembly),
        stretching_(stretching) {
    for (std::size_t i = 0; i < source.parts.size(); ++i) layouts_.push_back(found.of_part(i));
  }

  void run() {
    run_all();
    for (const auto& [part, rows] : passed_at_end_) assembly_.pass_over(part, rows);
    assembly_.take_texts();
  }

 private:
  void run_all() {
    const int threads = tbb::this_task_arena::max_concurrency();
    if (threads == 1 || is_small()) {
      for (Work work; !ended_ && next(work);) {
        parse(work);
        append(work);
        check_stopped();
      }
      return;
    }
    // Chunks that were appended lend their memory to later ones.
    tbb::concurrent_queue<std::shared_ptr<Work>> spare;
    using tbb::filter_mode;
    const auto take_next = [&](tbb::flow_control& control) {
      std::shared_ptr<Work> work;
      if (!spare.try_pop(work)) work = std::make_shared<Work>();
      if (ended_ || !next(*work)) control.stop();
      return work;
    };
    const auto parse_one = [&](std::shared_ptr<Work> work) {
      parse(*work);
      return work;
    };
    const auto append_one = [&](std::shared_ptr<Work> work) {
      append(*work);
      spare.push(std::move(work));
    };
    tbb::parallel_pipeline(
        static_cast<std::size_t>(4 * threads),
        tbb::make_filter<void, std::shared_ptr<Work>>(filter_mode::serial_in_order, take_next) &
            tbb::make_filter<std::shared_ptr<Work>, std::shared_ptr<Work>>(filter_mode::parallel,
                                                                           parse_one) &
            tbb::make_filter<std::shared_ptr<Work>, void>(filter_mode::serial_in_order,
                                                          append_one));
    check_stopped();
  }

  bool is_small() const {
    const Part& part = source_.parts[0];
    return source_.parts.size() == 1 && !part.rows && !part.text.stream &&
           part.text.text.size() < 2 * chunk_bytes_;
  }

  /// The next stretch. Each part begins one, for its lines count from its own first.
  bool next(Work& work) {
    for (;;) {
      if (next_part_ == source_.parts.size()) return false;
      const Part& part = source_.parts[next_part_];
      work.part = next_part_;
      work.first = next_is_first_;
      if (part.rows) {
        work.batch.passed_over = passed_over(next_part_);
        part.rows->next(work.batch);
        work.passed_rows = work.batch.passed_rows;
        work.begin = next_begin_ += work.passed_rows;
        work.end = next_begin_ += work.batch.rows;
        if (work.batch.rows == 0) {
          if (work.passed_rows > 0) passed_at_end_.emplace_back(next_part_, work.passed_rows);
          part.rows->rewind();
          begin_next_part();
          continue;
        }
        next_is_first_ = false;
        return true;
      }
      if (next_is_first_) next_begin_ = found_.parts[next_part_].shape.data_begin;
      if (part.text.until(next_begin_ + 1).size() <= next_begin_) {
        begin_next_part();
        continue;
      }
      work.begin = next_begin_;
      next_begin_ = work.end = chunk_start(part.text, next_begin_ + chunk_bytes_);
      next_is_first_ = false;
      if (work.end - work.begin >= (std::size_t{1} << 32) - 64) {
        fail_input("{}: byte {}: a line of more than 4 GiB can't be read", part.name, work.begin);
      }
      return true;
    }
  }

  /// The columns of a part's rows that are not looked at.
  std::vector<bool> passed_over(std::size_t part) const {
    const auto& columns = source_.parts[part].rows->columns;
    const Layout& layout = layouts_[part];
    std::vector<bool> unwanted(columns.size());
    for (const ValueColumn& value : layout.values) {
      if (value.cell == absent_cell) continue;
      unwanted[value.cell] = is_passed_over(layout, value, columns[value.cell].type);
    }
    for (const auto* cells : {&layout.time_cells, &layout.key_cells}) {
      for (const std::size_t cell : *cells) {
        if (cell != absent_cell) unwanted[cell] = false;
      }
    }
    return unwanted;
  }

  void begin_next_part() {
    ++next_part_;
    next_begin_ = 0;
    next_is_first_ = true;
  }

  void parse(Work& work) const {
    const Part& part = source_.parts[work.part];
    if (part.rows) {
      judge_rows(*part.rows, work.batch, work.begin, layouts_[work.part], missing_words_,
                 work.chunk);
    } else {
      read(work, work.begin, work.end);
    }
  }

  void read(Work& work, std::size_t begin, std::size_t until) const {
    const SourceText& text = source_.parts[work.part].text;
    const std::string_view arrived = text.until(until);
    // A stream that is whole by now may not have been when its text was taken.
    const bool is_whole = text.is_whole() && arrived.size() == text.all().size();
    read_chunk(arrived, is_whole, begin, work.end, layouts_[work.part], missing_words_, work.chunk);
  }

  void append(Work& work) {
    const FoundPart& found = found_.parts[work.part];
    if (work.first) {
      assembly_.begin_part(work.part, found.shape.data_line, found.shape.data_begin);
      true_end_ = work.begin;
    }
    if (source_.parts[work.part].rows) {
      assembly_.pass_over(work.part, work.passed_rows);
      return put(work.chunk);
    }
    if (true_end_ >= work.end) return;  // inside a record that started before
    if (true_end_ != work.begin) read(work, true_end_, work.end);
    // A record that reaches past what had arrived is read again with more.
    for (std::size_t ahead = chunk_bytes_; work.chunk.cut; ahead *= 2) {
      read(work, true_end_, work.end + ahead);
    }
    true_end_ = work.chunk.end;
    put(work.chunk);
  }

  void put(Chunk& chunk) {
    if (ended_) return;
    assembly_.append(chunk);
    if (stretching_ == nullptr) return;
    stretching_->look_at(assembly_);
    ended_ = stretching_->given_up();
  }

  const OpenSource& source_;
  const FoundLayout& found_;
  const MissingWords& missing_words_;
  std::size_t chunk_bytes_;
  Assembly& assembly_;
  Stretching* stretching_;
  std::atomic<bool> ended_ = false;  // nothing more is to be read
  std::vector<Layout> layouts_;
  std::size_t next_part_ = 0;
  std::size_t next_begin_ = 0;
  bool next_is_first_ = true;
  std::size_t true_end_ = 0;
  std::vector<std::pair<std::size_t, std::size_t>> passed_at_end_;  // parts, and rows of each
};

}  // namespace

void run_pass(const OpenSource& source, const FoundLayout& found, const MissingWords& missing_words,
              std::size_t chunk_bytes, Assembly& assembly, Stretching* stretching) {
  Pass(source, found, missing_words, chunk_bytes != 0 ? chunk_bytes : usual_chunk_bytes, assembly,
       stretching)
      .run();
}

}  // namespace zerobeat::detail
