// A stand-in of the board's core header: just enough to compile the starter on a computer.
#pragma once
#include <cmath>
#include <cstdlib>
#include <string>

class String : public std::string {
 public:
  String() {}
  String(const char* text) : std::string(text) {}
  String(const std::string& text) : std::string(text) {}
  explicit String(int value) : std::string(std::to_string(value)) {}
  explicit String(unsigned long value) : std::string(std::to_string(value)) {}
  explicit String(double value, int decimals = 2) : std::string(std::to_string(value)) { (void)decimals; }
  String substring(size_t from) const { return String(substr(from)); }
  String substring(size_t from, size_t to) const { return String(substr(from, to - from)); }
  int indexOf(const String& part) const { size_t at = find(part); return at == npos ? -1 : (int)at; }
  double toFloat() const { return atof(c_str()); }
};
inline String operator+(const String& a, const String& b) { return String(std::string(a) + std::string(b)); }
inline String operator+(const String& a, const char* b) { return String(std::string(a) + b); }

struct SerialPort {
  void begin(long speed) { (void)speed; }
  void println(const String& text) { (void)text; }
};
static SerialPort Serial;
inline unsigned long millis() { return 0; }
inline void delay(unsigned long ms) { (void)ms; }
inline long random(long low, long high) { return low + (high > low ? 0 : 1); }
using std::isnan;
