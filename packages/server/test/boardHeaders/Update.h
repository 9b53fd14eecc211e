// A stand-in of the header that writes the other program: what is written is compared by the stand-in of the service.
#pragma once
#include "Arduino.h"
struct Updater {
  std::string written;
  size_t size = 0;
  bool begin(size_t bytes) { size = bytes; written.clear(); return bytes < 2000000; }
  size_t write(uint8_t* bytes, size_t count) { written.append((const char*)bytes, count); return count; }
  void abort() { printf("given up after %zu bytes\n", written.size()); written.clear(); }
  bool end(bool whole) { (void)whole; printf("written %zu bytes\n", written.size()); return written.size() == size; }
};
static Updater Update;
