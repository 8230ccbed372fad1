#include <fcntl.h>
#include <openssl/evp.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <stdexcept>
#include <vector>
#include <zerobeat/io/digest.hpp>

namespace zerobeat::inline v1 {

struct Digest::State {
  EVP_MD_CTX* context = EVP_MD_CTX_new();
  std::uint64_t bytes = 0;

  State() {
    if (context == nullptr || EVP_DigestInit_ex(context, EVP_sha256(), nullptr) != 1) {
      throw std::runtime_error("SHA-256 is not there");
    }
  }
  State(const State&) = delete;
  State& operator=(const State&) = delete;
  ~State() { EVP_MD_CTX_free(context); }
};

Digest::Digest() : state_(std::make_unique<State>()) {}
Digest::Digest(Digest&&) noexcept = default;
Digest& Digest::operator=(Digest&&) noexcept = default;
Digest::~Digest() = default;

void Digest::add(std::string_view bytes) {
  EVP_DigestUpdate(state_->context, bytes.data(), bytes.size());
  state_->bytes += bytes.size();
}

FileDigest Digest::value() const {
  const State copy;  // more may come after
  EVP_MD_CTX_copy_ex(copy.context, state_->context);
  std::array<unsigned char, EVP_MAX_MD_SIZE> digest{};
  unsigned length = 0;
  EVP_DigestFinal_ex(copy.context, digest.data(), &length);
  FileDigest out{state_->bytes, {}};
  constexpr std::string_view digits = "0123456789abcdef";
  for (unsigned i = 0; i < length; ++i) {
    out.sha256 += digits[digest[i] >> 4];
    out.sha256 += digits[digest[i] & 15];
  }
  return out;
}

std::optional<FileDigest> digest_of_file(const std::string& path) {
  struct stat about {};
  if (stat(path.c_str(), &about) != 0 || !S_ISREG(about.st_mode)) return std::nullopt;
  const int descriptor = open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (descriptor < 0) return std::nullopt;
  Digest digest;
  std::vector<char> block(std::size_t{1} << 18);
  ssize_t got = 0;
  while ((got = read(descriptor, block.data(), block.size())) > 0) {
    digest.add({block.data(), static_cast<std::size_t>(got)});
  }
  close(descriptor);
  if (got < 0) return std::nullopt;
  return digest.value();
}

}  // namespace zerobeat
