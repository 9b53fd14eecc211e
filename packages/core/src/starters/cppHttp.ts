import { CPP_WIFI, cppProgram, cppSettings, wifiSettings } from './cppProgram';
import { controlled, literal, pascal, type StarterFile, type StarterPlan } from './plan';
import { wiringFile } from './wiring';

/** The starter for Wi-Fi boards that sleep or sit behind a strict network: C++ on the Arduino core, HTTP. */
export function cppHttpStarter(plan: StarterPlan): StarterFile[] {
  const program = cppProgram(plan, 'HTTP', {
    includes: ['HTTPClient.h', 'WiFi.h'],
    network: CPP_WIFI,
    link: link(plan),
    setup: '',
  });
  const address = `#define SERVICE_URL ${literal(plan.httpUrl)}`;
  return [
    { path: 'src/settings.h', text: cppSettings(plan, wifiSettings(plan), address), generated: true },
    { path: 'src/main.cpp', text: program, generated: false },
    { path: 'platformio.ini', text: PROJECT, generated: false },
    ...wiringFile(plan),
  ];
}

const PROJECT = `; Serial speed is fixed here; no library beside the core is needed.
[env:board]
platform = espressif32@6.9.0
board = esp32dev
framework = arduino
monitor_speed = 115200
`;

function link(plan: StarterPlan): string {
  return `// The answer to a call as its device, or an empty text; says why.
String call(const char* method, const String& path, const String& body) {
  HTTPClient http;
  http.begin(String(SERVICE_URL) + path);
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
  return answer;
}

// The value of a key in a flat JSON object, as text; empty where it is not there.
String valueOf(const String& json, const char* key) {
  String mark = String("\\"") + key + "\\":";
  int start = json.indexOf(mark);
  if (start < 0) return String("");
  start += mark.length();
  int end = start;
  while (end < (int)json.length() && json[end] != ',' && json[end] != '}') end++;
  return json.substring(start, end);
}

void tellApplied(const String& name, const String& value) {
  call("POST", "/device/applied", String("{\\"") + name + "\\":" + value + "}");
}

void lookWhatIsWanted() {
  // What the board has already is named, so that it need not be told again when the same is wanted once more.
  static String has;
  String wanted = call("GET", String("/device/wanted") + has, "");
  has = "";
  String interval = valueOf(wanted, "interval");
  if (interval.length() > 0 && interval.toFloat() >= 1) intervalMs = (unsigned long)(interval.toFloat() * 1000);
${controlled(plan)
  .map(
    (stream) => `  static String last${pascal(stream.key)};
  String wanted${pascal(stream.key)} = valueOf(wanted, ${literal(stream.key)});
  if (wanted${pascal(stream.key)}.length() > 0 && wanted${pascal(stream.key)} != last${pascal(stream.key)} && obey(${literal(stream.key)}, wanted${pascal(stream.key)})) {
    last${pascal(stream.key)} = wanted${pascal(stream.key)};
    tellApplied(${literal(stream.key)}, wanted${pascal(stream.key)});
  }
  if (last${pascal(stream.key)}.length() > 0) has += String(has.length() == 0 ? "?" : "&") + "${stream.key}=" + last${pascal(stream.key)};`,
  )
  .join('\n')}
}

bool linkUp() { return mayTry(); }
void listen() {}

bool sendReport(const String& json) {
  String answer = call("POST", "/device/report", json);
  if (answer.length() == 0) return false;
  if (answer.indexOf("\\"refused\\":[]") < 0) Serial.println(String("REFUSED ") + answer);
  lookWhatIsWanted();
  return true;
}
`;
}
