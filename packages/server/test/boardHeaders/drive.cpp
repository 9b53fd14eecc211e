// Runs a starter's program on a computer: an hour in which the network is away from the third minute to the eighth.
#include MAIN
#include "Preferences.h"
int main() {
  keptValues["name"] = "moss";
  setup();
  for (fake.ms = 0; fake.ms < 12 * 60000UL; fake.ms += 100) {
    fake.up = fake.ms < 150000 || fake.ms > 450000;
    loop();
  }
  return 0;
}
