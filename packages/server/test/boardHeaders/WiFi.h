// A stand-in of the Wi-Fi header.
#pragma once
#include "Arduino.h"
#define WL_CONNECTED 3
struct IPAddress {
  uint32_t number = 0;
  IPAddress() {}
  explicit IPAddress(uint32_t value) : number(value) {}
  operator uint32_t() const { return number; }
  String toString() const { return String("192.0.2.7"); }
};
struct Wifi {
  int status() { return fake.up ? WL_CONNECTED : 0; }
  String macAddress() { return String("02:00:00:00:00:07"); }
  bool softAP(const char* name) { printf("access point %s\n", name); return true; }
  int RSSI() { return -60; }
  void begin(const char* name, const char* password) { (void)name; (void)password; }
  IPAddress localIP() { return IPAddress(0x070200C0); }
};
static Wifi WiFi;
class WiFiClient {};
