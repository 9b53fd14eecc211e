/** Parts of a C++ program: ahead of obey(), and within it. */
export const CPP_KEEP = `// ---- What is kept by itself, whatever the link does: how long a control may run and rests then, and what it goes to without a link.
#define MOST_KEPT 32
struct Kept {
  String name, value, then;  // then: empty for what is done without a link
  unsigned long ms, restMs, sinceMs, triedMs;
  bool runs, rests, isDone, failed;
};
Kept kept[MOST_KEPT];
int keptCount = 0;
String keepText = KEEP;
bool keepChanged = true;  // what is kept is told once there is a link
unsigned long heardMs = 0;

String cutField(String& line, const char* mark) {
  int end = line.indexOf(mark);
  String field = end < 0 ? line : line.substring(0, end);
  line = end < 0 ? String("") : line.substring(end + 1);
  return field;
}

// Lines with tabs between; what cannot be read is left out. What runs or rests goes on with the new times.
void readKeep() {
  static Kept before[MOST_KEPT];
  int beforeCount = keptCount;
  for (int i = 0; i < beforeCount; i++) before[i] = kept[i];
  keptCount = 0;
  String rest = keepText;
  while (rest.length() > 0 && keptCount < MOST_KEPT) {
    String line = cutField(rest, "\\n");
    Kept one = {};
    one.name = cutField(line, "\\t");
    bool isMost = cutField(line, "\\t") == "most";
    one.ms = strtoul(cutField(line, "\\t").c_str(), nullptr, 10) * 1000UL;
    one.value = cutField(line, "\\t");
    if (isMost) {
      one.restMs = strtoul(cutField(line, "\\t").c_str(), nullptr, 10) * 1000UL;
      one.then = cutField(line, "\\t");
    }
    if (one.name.length() == 0 || one.ms == 0 || one.value.length() == 0) continue;
    for (int i = 0; i < beforeCount; i++)
      if (before[i].name == one.name && before[i].then.length() > 0 && isMost && before[i].value == one.value) {
        one.runs = before[i].runs;
        one.rests = before[i].rests;
        one.sinceMs = before[i].sinceMs;
      }
    kept[keptCount++] = one;
  }
}

void takeKeep(const String& text) {
  if (text == keepText) return;
  keepText = text;
  keepChanged = true;
  readKeep();
  Preferences store;
  store.begin("keep", false);
  store.putString("text", text);
  store.end();
  Serial.println("what is kept is new");
}

// At the start: what it was told last, or else the settings.
void startKeep() {
  Preferences store;
  store.begin("keep", false);
  keepText = store.getString("text", KEEP);
  store.end();
  readKeep();
}

// What the page of the device is told of it.
String keptAsJson() {
  String json = "{\\"keeps\\":\\"";
  for (size_t i = 0; i < keepText.length(); i++) {
    char letter = keepText[i];
    if (letter == '\\n') json += "\\\\n";
    else if (letter == '\\t') json += "\\\\t";
    else {
      if (letter == '"' || letter == '\\\\') json += '\\\\';
      json += letter;
    }
  }
  return json + "\\"}";
}

// The service is there.
void heard() {
  heardMs = millis();
  for (int i = 0; i < keptCount; i++)
    if (kept[i].then.length() == 0) kept[i].isDone = false;
}

// How often the link must be looked at, at the latest.
unsigned long askMs() {
  unsigned long shortest = 60000;
  for (int i = 0; i < keptCount; i++)
    if (kept[i].then.length() == 0 && kept[i].ms / 3 < shortest) shortest = kept[i].ms / 3;
  return shortest;
}

// False while it rests.
bool mayRun(const String& name, const String& text) {
  for (int i = 0; i < keptCount; i++) {
    Kept& one = kept[i];
    if (!(one.name == name) || !(one.value == text) || !one.rests) continue;
    if (millis() - one.sinceMs < one.restMs) return false;
    one.rests = false;
  }
  return true;
}

// It was made this just now.
void wasMade(const String& name, const String& text) {
  for (int i = 0; i < keptCount; i++) {
    Kept& one = kept[i];
    if (!(one.name == name)) continue;
    if (one.then.length() == 0) continue;
    bool runs = one.value == text;
    if (runs == one.runs) continue;
    one.rests = one.runs;
    one.runs = runs;
    one.sinceMs = millis();
  }
}

// What was wanted last is obeyed again once there is a link.
void forgetWanted(const String& name);
bool makeKept(Kept& one, const String& text, const char* why) {
  if (one.failed && millis() - one.triedMs < 5000) return false;
  String name = one.name;
  bool done = applyText(name, text);
  Serial.println(String("kept ") + name + " = " + text + (done ? ", applied: " : ", not possible: ") + why);
  one.failed = !done;
  one.triedMs = millis();
  if (done) {
    wasMade(name, text);
    wasApplied(name, text);
    forgetWanted(name);
  }
  return done;
}

// Does what is due; called all the time.
void lookAtKept() {
  for (int i = 0; i < keptCount; i++) {
    Kept& one = kept[i];
    if (one.then.length() > 0) {
      if (one.runs && millis() - one.sinceMs >= one.ms) makeKept(one, one.then, "it ran for as long as it may");
    } else if (!one.isDone && millis() - heardMs >= one.ms)
      one.isDone = makeKept(one, one.value, "nothing was heard");
  }
}
`;
