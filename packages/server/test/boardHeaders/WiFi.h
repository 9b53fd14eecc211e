// A stand-in of the Wi-Fi header.
#pragma once
#include "Arduino.h"
#define WL_CONNECTED 3
struct Address { String toString() { return String("192.0.2.7"); } };
struct Wifi {
  int status() { return fake.up ? WL_CONNECTED : 0; }
  String macAddress() { return String("02:00:00:00:00:07"); }
  int RSSI() { return -60; }
  void begin(const char* name, const char* password) { (void)name; (void)password; }
  Address localIP() { return Address(); }
};
static Wifi WiFi;
class WiFiClient {};
