import {
  CPP_WIFI,
  cppMqtt,
  cppProject,
  cppProgram,
  cppSettings,
  mqttSettings,
  WIFI_INCLUDES,
  wifiSettings,
} from './cppProgram';
import { forBoard, type StarterFile, type StarterPlan } from './plan';
import { wiringFile } from './wiring';

/** The starter for Wi-Fi boards: C++ on the Arduino core, MQTT. Only settings and wiring list are generated anew. */
export function cppStarter(given: StarterPlan): StarterFile[] {
  const plan = forBoard(given);
  const program = cppProgram(plan, 'MQTT', {
    includes: ['MQTT.h', 'WiFiClientSecure.h', ...WIFI_INCLUDES],
    network: `#ifdef AUTHORITY\nWiFiClientSecure network;\n#else\nWiFiClient network;\n#endif\n${CPP_WIFI}`,
    link: cppMqtt(plan),
    setup: '#ifdef AUTHORITY\n  network.setCACert(AUTHORITY);\n#endif\n',
  });
  return [
    {
      path: 'src/settings.h',
      text: cppSettings(plan, wifiSettings(plan), mqttSettings(plan)),
      generated: true,
    },
    { path: 'src/main.cpp', text: program, generated: false },
    { path: 'platformio.ini', text: cppProject(plan, ['256dpi/MQTT@2.5.2']), generated: false },
    ...wiringFile(plan),
  ];
}
