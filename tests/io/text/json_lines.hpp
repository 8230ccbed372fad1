#pragma once

#include <zerobeat/io/read.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

inline Records read_lines(const std::string& text, ReadOptions options = {}) {
  options.from = InputFormat::jsonl;
  return read_text(text, options, "lines.jsonl");
}

}  // namespace zerobeat::testing
