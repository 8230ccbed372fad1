#include <algorithm>
#include <numeric>
#include <zerobeat/base/buffer.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// Sizes in bytes about where blocks begin to be mapped, and where spare ones are kept.
constexpr std::size_t sizes[] = {1,       63,      64,      65,        4'095,     1 << 20,
                                 1048577, 1200000, 1 << 23, 8'388'609, 20'000'000};

bool is_counted(const Buffer<std::int64_t>& buffer, std::size_t count) {
  for (std::size_t i = 0; i < count; ++i) {
    if (buffer[i] != static_cast<std::int64_t>(i)) return false;
  }
  return true;
}

}  // namespace

TEST_CASE("a buffer is aligned to 64 bytes at any size", "[buffer]") {
  for (const std::size_t size : sizes) {
    const Buffer<char> buffer(size);
    CHECK(buffer.size() == size);
    CHECK(reinterpret_cast<std::uintptr_t>(buffer.data()) % 64 == 0);
  }
  CHECK(Buffer<char>(0).data() == nullptr);
  CHECK(Buffer<char>().empty());
}

TEST_CASE("what a buffer holds stays when it grows, past where blocks are mapped", "[buffer]") {
  Buffer<std::int64_t> buffer;
  std::size_t grown = 0;
  const std::int64_t* before = nullptr;
  for (std::int64_t i = 0; i < 3'000'000; ++i) {
    buffer.push_back(i);
    grown += buffer.data() != before;
    before = buffer.data();
  }
  CHECK(is_counted(buffer, 3'000'000));
  CHECK(grown < 80);  // by half each time
  buffer.resize(100);
  CHECK(is_counted(buffer, 100));
  buffer.reserve(5'000'000);
  CHECK(buffer.size() == 100);
  CHECK(is_counted(buffer, 100));
}

TEST_CASE("a value of the buffer's own can be pushed to it", "[buffer]") {
  Buffer<std::int64_t> buffer;
  buffer.push_back(7);
  for (int i = 0; i < 1000; ++i) buffer.push_back(buffer[0]);
  CHECK(std::ranges::count(buffer.span(), 7) == 1001);
}

TEST_CASE("a buffer that was moved from is empty", "[buffer]") {
  for (const std::size_t size : {std::size_t{10}, std::size_t{500'000}}) {
    Buffer<std::int64_t> from(size);
    std::iota(from.begin(), from.end(), 0);
    Buffer<std::int64_t> to(std::move(from));
    CHECK(from.size() == 0);  // NOLINT: what is looked at
    CHECK(from.data() == nullptr);
    CHECK(is_counted(to, size));
    Buffer<std::int64_t> other(3, 1);
    other = std::move(to);
    CHECK(is_counted(other, size));
    from.push_back(5);
    CHECK(from.back() == 5);
  }
}

TEST_CASE("spare blocks of one size serve one holder at a time", "[buffer]") {
  // Four are kept; more than that, of two sizes, in every order.
  std::vector<Buffer<std::int64_t>> held;
  for (int round = 0; round < 6; ++round) {
    for (std::int64_t k = 0; k < 7; ++k) {
      const std::size_t size = k % 2 == 0 ? 200'000 : 300'000;
      held.emplace_back(size, k);
    }
    for (std::int64_t k = 0; k < 7; ++k) {
      const auto& own = held[static_cast<std::size_t>(k)];
      REQUIRE(std::ranges::count(own.span(), k) == static_cast<std::ptrdiff_t>(own.size()));
    }
    if (round % 2 == 0) std::reverse(held.begin(), held.end());
    held.clear();
  }
}

TEST_CASE("a buffer as values of another type is the same memory", "[buffer]") {
  Buffer<std::int64_t> whole(3);
  whole[0] = 0;
  whole[1] = std::bit_cast<std::int64_t>(1.5);
  whole[2] = std::bit_cast<std::int64_t>(-2.0);
  const void* const at = whole.data();
  const Buffer<double> numbers = std::move(whole).retyped<double>();
  CHECK(numbers.data() == at);
  CHECK(numbers.size() == 3);
  CHECK(numbers[1] == 1.5);
  CHECK(numbers[2] == -2.0);
}

TEST_CASE("stretches are appended behind what is there", "[buffer]") {
  Buffer<std::int64_t> buffer;
  std::vector<std::int64_t> stretch(70'000);
  for (int k = 0; k < 10; ++k) {
    std::iota(stretch.begin(), stretch.end(), static_cast<std::int64_t>(buffer.size()));
    buffer.append(stretch);
    buffer.append({});
  }
  CHECK(buffer.size() == 700'000);
  CHECK(is_counted(buffer, buffer.size()));
  const Buffer<std::int64_t> copy(buffer.span());
  CHECK(copy.data() != buffer.data());
  CHECK(is_counted(copy, copy.size()));
  buffer.clear();
  CHECK(buffer.empty());
}

}  // namespace zerobeat::testing
