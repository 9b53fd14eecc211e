// A stand-in of the board's core header: just enough to compile the starter on a computer.
#pragma once
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <sys/time.h>

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
  void replace(const String& before, const String& after) { size_t at = find(before); if (at != npos) std::string::replace(at, before.size(), after); }
};
inline String operator+(const String& a, const String& b) { return String(std::string(a) + std::string(b)); }
inline String operator+(const String& a, const char* b) { return String(std::string(a) + b); }

// What the computer pretends: how long the board has run, and whether the network is there.
struct Pretence {
  unsigned long ms = 0;
  bool up = true;
  bool phone = false;      // somebody opens the board's own page
  int restarts = 0;
  bool named = false;      // the service is found by its name
  bool clockSet = false;   // somebody told the time
};
static Pretence fake;

// The clock of the computer is not the board's to set.
inline int fakeSetTime(const struct timeval*, const void*) { fake.clockSet = true; return 0; }
#define settimeofday fakeSetTime
#define RTC_DATA_ATTR
#define IRAM_ATTR
struct Chip {
  void restart() { fake.restarts++; }
};
static Chip ESP __attribute__((unused));
inline void noInterrupts() {}
inline void interrupts() {}
#define LOW 0
#define HIGH 1
#define INPUT 0
#define OUTPUT 1
#define INPUT_PULLUP 2
#define FALLING 2
#define SERIAL_8N1 0
struct HardwareSerial {
  explicit HardwareSerial(int port) { (void)port; }
  void begin(long speed, int form = 0, int rx = 0, int tx = 0) { (void)speed; (void)form; (void)rx; (void)tx; }
  void println(const String& text) { puts(text.c_str()); }
  int available() { return said < (int)says.size() ? (int)says.size() - said : 0; }
  int read() { return available() > 0 ? (uint8_t)says[said++] : -1; }
  size_t write(uint8_t byte) { written += (char)byte; if (byte == answersAfter) { says += answer; } return 1; }
  std::string says, written, answer;  // what the part on the line says, and what it is told
  int said = 0, answersAfter = -1;
};
static HardwareSerial Serial(0);
inline unsigned long millis() { return fake.ms; }
inline void delay(unsigned long ms) { fake.ms += ms; }
inline void delayMicroseconds(unsigned us) { (void)us; }
inline long random(long low, long high) { return low + (high > low ? 0 : 1); }
inline void pinMode(int pin, int mode) { (void)pin; (void)mode; }
inline int digitalRead(int pin) { return pin & 1; }
inline void digitalWrite(int pin, int level) { (void)pin; (void)level; }
inline void analogWrite(int pin, int share) { (void)pin; (void)share; }
inline uint32_t analogReadMilliVolts(int pin) { return (uint32_t)pin; }
inline unsigned long pulseIn(int pin, int level, unsigned long timeout) { (void)pin; (void)level; return timeout / 2; }
inline int digitalPinToInterrupt(int pin) { return pin; }
inline void attachInterrupt(int pin, void (*handler)(), int mode) { (void)pin; (void)handler; (void)mode; }
inline double ledcSetup(int channel, double frequency, int bits) { (void)channel; (void)bits; return frequency; }
inline void ledcAttachPin(int pin, int channel) { (void)pin; (void)channel; }
inline void ledcWrite(int channel, uint32_t duty) { (void)channel; (void)duty; }
inline void configTime(long zone, int summer, const char* server) { (void)zone; (void)summer; (void)server; }
using std::isinf;
using std::isnan;
