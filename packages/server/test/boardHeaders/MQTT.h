// A stand-in of the MQTT library's header.
#pragma once
#include "Arduino.h"
class MQTTClient {
 public:
  explicit MQTTClient(int size) { (void)size; }
  template <class Client>
  void begin(const char* host, int port, Client& network) { (void)host; (void)port; (void)network; }
  void onMessage(void (*callback)(String& topic, String& payload)) { (void)callback; }
  bool connect(const char* id, const char* user, const char* password) { (void)id; (void)user; (void)password; joined = fake.up; return joined; }
  void setOptions(int keepAliveS, bool clean, int limitMs) { (void)keepAliveS; (void)clean; (void)limitMs; }
  bool publish(const char* topic, const char* bytes, int length, bool retained, int qos) { (void)topic; (void)bytes; (void)length; (void)retained; (void)qos; return fake.up; }
  bool connected() { return joined && fake.up; }
  bool loop() { return true; }
  bool publish(const String& topic, const String& payload, bool retained, int qos) {
    (void)retained;
    (void)qos;
    if (topic.indexOf("/about") >= 0) printf("about %s\n", payload.c_str());
    return fake.up;
  }
  bool subscribe(const String& topic, int qos) { (void)topic; (void)qos; return true; }
  int returnCode() { return 0; }
  bool joined = false;
};
