// A stand-in of the header for what a board keeps while it is off.
#pragma once
#include <map>
#include "Arduino.h"
static std::map<std::string, std::string> keptValues;
class Preferences {
 public:
  void begin(const char* name, bool readOnly) { (void)name; (void)readOnly; }
  String getString(const char* key, const char* otherwise) {
    auto found = keptValues.find(key);
    return found == keptValues.end() ? String(otherwise) : String(found->second);
  }
  void putString(const char* key, const String& value) { keptValues[key] = value; }
  void end() {}
};
