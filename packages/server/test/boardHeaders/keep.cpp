// Runs a starter's program through a minute: it is told what to keep, its pump is run, and its link is cut at the 35th second.
#include MAIN
#include "Preferences.h"
int main() {
  keptValues["name"] = "moss";
  keptValues["text"] = "what\tit was\ntold before";
  setup();
  unsigned long second = 99;
  for (fake.ms = 0; fake.ms < 60000UL; fake.ms += 100) {
    fake.up = fake.ms < 35000;
    if (fake.ms / 1000 != second) {
      second = fake.ms / 1000;
      printf("== %lu\n", second);
      switch (second) {
        case 1: obey("_keep", KEEP); break;
        case 2: case 6: case 9: obey("pump", "1"); break;
        case 10: obey("pump", "0"); break;
        case 11: obey("gate", "half open"); break;
      }
    }
    loop();
  }
  return 0;
}
