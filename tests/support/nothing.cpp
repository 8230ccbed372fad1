/// A program that does nothing: what is tested is that it links with a whole library.

int main() {}
