// Columns that grow at their end.

#include <algorithm>
#include <atomic>
#include <cstring>
#include <memory>
#include <unordered_map>
#include <zerobeat/table/column.hpp>

namespace zerobeat::inline v1 {

/// One block for a column and those that it grows into: they share what they have in common, and
/// the longest of them alone may grow on in place.
struct detail::Room {
  Buffer<std::uint64_t> block;        // of eight bytes a value, or four of a text's code
  std::atomic<std::size_t> used = 0;  // bytes that some column has
  std::size_t size_bytes() const { return block.size() * sizeof(std::uint64_t); }
};

template <typename T>
void Column::append_values(std::span<const T> values, std::span<const T> more) {
  std::size_t used = values.size_bytes();
  const std::size_t wanted = used + more.size_bytes();
  const bool goes_on = room_ != nullptr && wanted <= room_->size_bytes() &&
                       room_->used.compare_exchange_strong(used, wanted);
  if (!goes_on) {
    auto room = std::make_shared<detail::Room>();
    constexpr std::size_t least = 1024;  // words
    room->block = Buffer<std::uint64_t>(std::max(least, 2 * wanted / sizeof(std::uint64_t) + 1));
    room->used = wanted;
    if (!values.empty()) std::memcpy(room->block.data(), values.data(), values.size_bytes());
    room_ = std::move(room);
    owner_ = room_;
    data_ = room_->block.data();
  }
  auto* const at = reinterpret_cast<char*>(room_->block.data()) + values.size_bytes();
  if (!more.empty()) std::memcpy(at, more.data(), more.size_bytes());
  size_ += more.size();
}

namespace {

/// The bits of one column after those of another.
Validity validity_after(const Column& column, const Column& more) {
  const std::size_t size = column.size() + more.size();
  if (column.validity().all() && more.validity().all()) return {};
  Buffer<std::uint64_t> words((size + 63) / 64, ~std::uint64_t{0});
  if (!column.validity().all()) {
    std::memcpy(words.data(), column.validity().bits(), (column.size() + 63) / 64 * 8);
    if (column.size() % 64 != 0)
      words[column.size() / 64] |= ~std::uint64_t{0} << column.size() % 64;
  }
  for (std::size_t i = 0; i < more.size() && !more.validity().all(); ++i) {
    const std::size_t at = column.size() + i;
    if (!more.valid(i)) words[at / 64] &= ~(std::uint64_t{1} << (at % 64));
  }
  return Validity(std::move(words), size);
}

/// Codes of `more` as codes of the dictionary, which gets the texts that it lacks.
Buffer<std::int32_t> codes_after(const Column& more,
                                 std::shared_ptr<const Column::Dictionary>& dictionary) {
  std::unordered_map<std::string_view, std::int32_t> code_of;
  for (const auto& word : *dictionary)
    code_of.emplace(word, static_cast<std::int32_t>(code_of.size()));
  std::shared_ptr<Column::Dictionary> grown;
  std::vector<std::int32_t> codes;
  for (const auto& word : more.dictionary()) {
    const auto [at, is_new] = code_of.emplace(word, static_cast<std::int32_t>(code_of.size()));
    codes.push_back(at->second);
    if (!is_new) continue;
    if (grown == nullptr) grown = std::make_shared<Column::Dictionary>(*dictionary);
    grown->push_back(word);
  }
  Buffer<std::int32_t> out(more.size());
  for (std::size_t i = 0; i < out.size(); ++i) {
    out[i] = more.valid(i) ? codes[static_cast<std::size_t>(more.codes()[i])] : 0;
  }
  if (grown != nullptr) dictionary = std::move(grown);
  return out;
}

}  // namespace

Column Column::appended(const Column& more) const {
  if (size_ == 0 && type_ == Type::number && more.type_ != type_) return more;
  if (type_ != more.type_) {
    if (!is_numeric() || !more.is_numeric()) {
      fail_usage("a column of {}s can't be followed by one of {}s",
                 enum_words(type_)[static_cast<std::size_t>(type_)],
                 enum_words(more.type_)[static_cast<std::size_t>(more.type_)]);
    }
    return as_numbers().appended(more.as_numbers());
  }
  if (type_ == Type::boolean) {
    const Column both[] = {*this, more};
    return concatenate(both);
  }
  Column out = *this;
  out.validity_ = validity_after(*this, more);
  switch (type_) {
    case Type::number:
      out.append_values(numbers(), more.numbers());
      break;
    case Type::integer:
      out.append_values(integers(), more.integers());
      break;
    case Type::time:
      out.append_values(times(), more.times());
      break;
    default: {
      const auto codes_of_more = codes_after(more, out.dictionary_);
      out.append_values(codes(), codes_of_more.span());
    }
  }
  return out;
}

}  // namespace zerobeat
