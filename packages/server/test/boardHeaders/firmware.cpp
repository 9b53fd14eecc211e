// Runs a starter's program while a new one waits for it: the right one, one with a wrong sum, one that is not signed, one that is
// cut off; and a program that never reports.
#include <cstring>
#include MAIN
#include "Preferences.h"
void day(const char* name, const char* sum, const char* sign, long cutAfter) {
  static std::string hex;
  hex.clear();
  for (int i = 0; i < 32; i++) hex += sum;
  printf("== %s\n", name);
  fakeProgram.sum = hex.c_str();
  fakeProgram.sign = sign;
  fakeProgram.cutAfter = cutAfter;
  unsigned long until = fake.ms + 700000UL;
  for (; fake.ms < until; fake.ms += 100) loop();
  printf("restarts %d\n", fake.restarts);
}
int main() {
  keptValues["name"] = "moss";
  fake.up = false;
  setup();
  printf("== silent\n");
  for (fake.ms = 0; fake.ms < 700000UL; fake.ms += 100) loop();
  fake.up = true;
  firmwareConfirmed = false;
  day("right", "2a", "a5", 1000000);
  day("sum", "2b", "a5", 1000000);
  day("unsigned", "2a", "a6", 1000000);
  day("cut", "2a", "a5", 5000);
  return 0;
}
