import { CPP_WIFI, cppProject, cppProgram, cppSettings, WIFI_INCLUDES, wifiSettings } from './cppProgram';
import { keeps } from './keeping';
import { controlled, isPlain, forBoard, literal, pascal, type StarterFile, type StarterPlan } from './plan';
import type { Datastream } from '../readings/types';
import { wiringFile } from './wiring';

/** The starter for Wi-Fi boards that sleep or sit behind a strict network: C++ on the Arduino core, HTTP. */
export function cppHttpStarter(given: StarterPlan): StarterFile[] {
  const plan = forBoard(given);
  const program = cppProgram(plan, 'HTTP', {
    includes: WIFI_INCLUDES,
    network: CPP_WIFI,
    link: link(plan),
    setup: '',
  });
  return [
    { path: 'src/settings.h', text: cppSettings(plan, wifiSettings(plan), ''), generated: true },
    { path: 'src/main.cpp', text: program, generated: false },
    { path: 'platformio.ini', text: cppProject(plan, []), generated: false },
    ...wiringFile(plan),
  ];
}

function link(plan: StarterPlan): string {
  return `// The answer to a call as its device, or an empty text; says why.
String call(const char* method, const String& path, const String& body) {
  HTTPClient http;
  http.setTimeout(15000);
  beginCall(http, serviceUrl() + path);
  http.addHeader("Authorization", String("Bearer ") + DEVICE_TOKEN);
  http.addHeader("Content-Type", "application/json");
  int status = http.sendRequest(method, body);
  String answer = status > 0 ? http.getString() : String("");
  http.end();
  if (status == 401) {
    Serial.println("HTTP: the token is not right. Check DEVICE_TOKEN in settings.h.");
    return String("");
  }
  if (status <= 0 || status == 429 || status >= 500) {
    Serial.println(String("HTTP: not reached or busy (") + String(status) + "), trying again");
    return String("");
  }
${keeps(plan) ? '  heard();\n' : ''}  return answer;
}

// The value of a key in a flat JSON object, as text; empty where it is not there.
String valueOf(const String& json, const char* key) {
  String mark = String("\\"") + key + "\\":";
  int start = json.indexOf(mark);
  if (start < 0) return String("");
  start += mark.length();
  String value;
  bool quoted = json[start] == '"';
  if (quoted) start++;
  for (int i = start; i < (int)json.length(); i++) {
    if (quoted ? json[i] == '"' : json[i] == ',' || json[i] == '}') break;
    bool marked = quoted && json[i] == '\\\\' && i + 1 < (int)json.length();
    if (marked) i++;
    value += marked && json[i] == 't' ? '\\t' : marked && json[i] == 'n' ? '\\n' : json[i];
  }
  return value;
}

bool tellApplied(const String& name, const String& value) {
  String json = "{";
  bool isText = name == "interval"${controlled(plan)
    .filter((stream) => !isPlain(stream))
    .map(({ key }) => ` || name == ${literal(key)}`)
    .join('')};
  if (isText) addText(json, name.c_str(), value);
  else json += String(",\\"") + name + "\\":" + value;
  // Without the comma that stands before each.
  return call("POST", "/device/applied", String("{") + json.substring(2) + "}").length() > 0;
}

// A press is meant up to a time, by the clock of the service; what comes too late is not done.
bool isTooLate(const String& wanted, const char* name) {
  int start = wanted.indexOf("\\"_until\\"");
  if (start < 0) return false;
  long long until = atoll(valueOf(wanted.substring(start + 8), name).c_str());
  struct timeval now;
  gettimeofday(&now, nullptr);
  bool late = until > 0 && now.tv_sec > 1700000000 && now.tv_sec * 1000LL + now.tv_usec / 1000 > until;
  if (late) Serial.println(String("wanted ") + name + ": too late, not done");
  return late;
}

${lasting(plan)
  .map(({ key }) => `String last${pascal(key)};  // what was obeyed last\n`)
  .join('')}${
    keeps(plan)
      ? `void forgetWanted(const String& name) {
${lasting(plan)
  .map(({ key }) => `  if (name == ${literal(key)}) last${pascal(key)} = "";\n`)
  .join('')}}
bool tellAbout(const String& json) { return call("POST", "/device/about", json).length() > 0; }

`
      : ''
  }void lookWhatIsWanted() {
  // What the board has already is named, so that it need not be told again when the same is wanted once more.
  static String has;
  String wanted = call("GET", String("/device/wanted?n=0") + has, "");
  has = "";
  String interval = valueOf(wanted, "interval");
  if (interval.length() > 0 && atof(interval.c_str()) >= 1) intervalMs = (unsigned long)(atof(interval.c_str()) * 1000);
${keeps(plan) ? '  if (wanted.indexOf("\\"_keep\\":") >= 0) takeKeep(valueOf(wanted, "_keep"));\n' : ''}${controlled(plan).map(lookFor).join('\n')}
}

bool linkUp() { return mayTry(); }
${
  keeps(plan)
    ? `// Between reports too it is looked whether the service is there, where something is done without it.
void listen() {
  static unsigned long askedMs = 0;
  if (askMs() == 60000 || millis() - heardMs < askMs() || millis() - askedMs < 1000) return;
  askedMs = millis();
  lookWhatIsWanted();
}
`
    : 'void listen() {}\n'
}
bool sendReport(const String& json) {
  String answer = call("POST", "/device/report", json);
  if (answer.length() == 0) return false;
  if (answer.indexOf("\\"refused\\":[]") < 0) Serial.println(String("REFUSED ") + answer);
  lookWhatIsWanted();
  return true;
}

bool sendImage(const char* name, const uint8_t* bytes, size_t length) {
  HTTPClient http;
  beginCall(http, serviceUrl() + "/device/report?name=" + name);
  http.addHeader("Authorization", String("Bearer ") + DEVICE_TOKEN);
  http.addHeader("Content-Type", length > 1 && bytes[0] == 0x89 ? "image/png" : bytes[0] == 'R' ? "image/webp" : "image/jpeg");
  int status = http.sendRequest("POST", (uint8_t*)bytes, length);
  http.end();
  return status == 200;
}
`;
}

/** Controls that hold what is wanted. */
const lasting = (plan: StarterPlan): Datastream[] =>
  controlled(plan).filter(({ holds }) => holds !== 'momentary');

/** Looks for one control: a lasting value is obeyed once, a press whenever it is told. */
function lookFor(stream: Datastream): string {
  const [name, key] = [pascal(stream.key), literal(stream.key)];
  if (stream.holds === 'momentary')
    return `  String wanted${name} = valueOf(wanted, ${key});
  if (wanted${name}.length() > 0 && !isTooLate(wanted, ${key}) && obey(${key}, wanted${name})) wasApplied(${key}, wanted${name});`;
  const named = isPlain(stream)
    ? `
  if (last${name}.length() > 0) has += String("&${stream.key}=") + last${name};`
    : '';
  return `  String wanted${name} = valueOf(wanted, ${key});
  if (wanted${name}.length() > 0 && !(wanted${name} == last${name}) && obey(${key}, wanted${name})) {
    last${name} = wanted${name};
    wasApplied(${key}, wanted${name});
  }${named}`;
}
