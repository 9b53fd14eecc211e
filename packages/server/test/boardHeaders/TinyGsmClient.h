// A stand-in of the cellular library's header.
#pragma once
#include "Arduino.h"
#ifndef TINY_GSM_MODEM_SIM7000
#error "the modem must be named before this header"
#endif
class TinyGsm {
 public:
  explicit TinyGsm(HardwareSerial& port) { (void)port; }
  bool isGprsConnected() { return fake.up; }
  void restart() {}
  bool simUnlock(const char* pin) { (void)pin; return true; }
  bool waitForNetwork(uint32_t ms) { (void)ms; return fake.up; }
  bool gprsConnect(const char* name, const char* user, const char* password) { (void)name; (void)user; (void)password; return true; }
  String getIMEI() { return String("490154203237518"); }
  int getSignalQuality() { return 20; }
  bool getNetworkTime(int* year, int* month, int* day, int* hour, int* minute, int* second, float* zone) {
    (void)year; (void)month; (void)day; (void)hour; (void)minute; (void)second; (void)zone;
    return true;
  }
};
class TinyGsmClient {
 public:
  explicit TinyGsmClient(TinyGsm& modem) { (void)modem; }
  bool connect(const char* host, int port) { (void)host; (void)port; at = 0; return fake.up; }
  void print(const String& text) { asked = text; }
  bool connected() { return false; }
  int available() { return (int)answer.size() - at; }
  int read() { return answer[at++]; }
  void stop() {}
  std::string asked, answer = "HTTP/1.1 201 Created\r\nContent-Type: application/json\r\n\r\n{\"device\":\"claimed-7\",\"token\":\"moorxyz\"}";
  int at = 0;
};
