import { claimFile, MICROPYTHON_CLAIM, pythonIdentity } from './claim';
import { pythonHandlers, pythonTable, pythonWanted, type PythonHandlers } from './functions';
import {
  authorityOf,
  comment,
  controlled,
  forBoard,
  literal,
  madeUp,
  pictured,
  portOf,
  reported,
  TOKEN_PLACEHOLDER,
  type StarterFile,
  type StarterPlan,
} from './plan';
import { MICROPYTHON_BOOT, microPythonFirmware } from './firmware';
import { keepLiteral, keeps, PYTHON_APPLY, PYTHON_KEEP } from './keeping';
import { MICROPYTHON_WIFI } from './ownWifi';
import { microPythonCodes } from './ways/index';
import { wiringFile } from './wiring';

/** The starter for boards with MicroPython: MQTT by umqtt.simple. Only settings.py is generated anew. */
export function microPythonStarter(given: StarterPlan): StarterFile[] {
  const plan = forBoard(given);
  const handlers = pythonHandlers(plan, {
    codes: microPythonCodes(plan.streams),
    print: (text) => `print(${text})`,
    number: (stream) => {
      if (stream.type === 'boolean') return 'time.ticks_ms() // 60000 % 2 == 0';
      const { middle, spread } = madeUp(stream);
      return `${middle} + time.ticks_ms() // 1000 % 21 * ${spread} ${stream.type === 'integer' ? '//' : '/'} 20`;
    },
  });
  return [
    { path: 'settings.py', text: settings(plan), generated: true },
    { path: 'main.py', text: program(plan, handlers), generated: false },
    ...(keeps(plan) ? [PYTHON_KEEP] : []),
    MICROPYTHON_WIFI,
    microPythonFirmware(plan),
    MICROPYTHON_BOOT,
    ...claimFile(plan, { path: 'claim.py', text: MICROPYTHON_CLAIM, generated: true }),
    ...wiringFile(plan),
  ];
}

const known = (plan: StarterPlan): string => `SERVICE_URL = ${literal(plan.httpUrl)}
DEVICE_ID = ${literal(plan.deviceId)}
DEVICE_TOKEN = ${literal(plan.token ?? TOKEN_PLACEHOLDER)}
`;

function settings(plan: StarterPlan): string {
  return `# Settings of ${comment(plan.deviceName)}. This is the only file with names and secrets in it.
WIFI_NAME = ${literal(plan.wifi?.name ?? '')}      # <- your Wi-Fi; empty: the board asks for it on a page of its own
WIFI_PASSWORD = ${literal(plan.wifi?.password ?? '')}  # <- its password
MQTT_HOST = ${literal(plan.host)}
MQTT_PORT = ${portOf(plan)}
${plan.tls ? `# The authority that is trusted; with it all goes over TLS.\nAUTHORITY = """${authorityOf(plan)}"""\n` : ''}SERVICE_NAME = ${literal(plan.localName ?? '')}  # its name in the local network, tried first; empty for none
${pythonIdentity(plan, ', WIFI_NAME, WIFI_PASSWORD') || known(plan)}FIRST_INTERVAL_S = ${plan.intervalS}  # until the service names another
${keeps(plan) ? `KEEP = ${keepLiteral(plan)}  # what it keeps by itself, until the service says otherwise\n` : ''}DEEP_SLEEP = False  # True for a battery board: it sleeps between reports, and obeys when it wakes
`;
}

function program(plan: StarterPlan, handlers: PythonHandlers): string {
  const images = pictured(plan);
  const own = handlers.imports.filter((name) => !['json', 'math', 'time'].includes(name));
  return `# Starter for ${comment(plan.deviceName)}: reports over MQTT, obeys what is wanted, prints what happens.
# Library: umqtt.simple (on the board's prompt: import mip; mip.install("umqtt.simple")). Serial speed 115200.
import json
import math
import socket
import time

${own.map((name) => `import ${name}\n`).join('')}import machine
import network
import ntptime
from umqtt.simple import MQTTClient

import firmware
${keeps(plan) ? 'import keep\n' : ''}import settings
from wifi import SetupPage, known_wifi

ROOT = "moor/%s/" % settings.DEVICE_ID
UNIX_FROM_2000 = 946684800 if time.gmtime(0)[0] == 2000 else 0
FIRMWARE_VERSION = "1.0.0"  # raise it with every program that you give to boards by the page of the kind
MARK = "moor-firmware:1.0.0:"  # the same version, so that a file can be told from another
MOST_WAITING = 200
LIMIT_S = 10  # seconds that an answer may take


def nothing(name, why):
    """Says why there is no value; the report goes without it."""
    print("%s: %s" % (name, why))

${handlers.support}
# ---- Your sensors: one function for each datastream that is reported. Return None while there is no value.
${handlers.sensors}
${images.map(({ key, title }) => `def take_${key}():  # ${comment(title)}\n    return None  # replace by the bytes of a JPEG, PNG or WebP that your camera gives\n\n\n`).join('')}
# ---- Your outputs: one function for each control. Return False when the board cannot do it.
${handlers.outputs}

${pythonTable('SENSORS', reported(plan), 'read')}
${pythonTable('OUTPUTS', controlled(plan), 'apply')}
${pythonTable('IMAGES', images, 'take')}
${pythonWanted(plan)}


# ---- From here on nothing needs to be changed.
interval_s = settings.FIRST_INTERVAL_S
waiting = []  # messages that have not arrived yet, the oldest first, with their true times
applied = {}  # what has to be told
number = 0
clock_is_set = False
client = None
back_off_s = 1
failed_ms = None
wifi_tried_ms = None
wifi_told = False
setup_page = None
${keeps(plan) ? 'kept_told = None  # what was told of what it keeps\n' : ''}try:
    watchdog = machine.WDT(timeout=120000)
except Exception:  # a board without one
    watchdog = None


def measured(name, read):
    try:
        return read()
    except Exception as error:  # whatever a sensor does, the others are told
        return nothing(name, error)


def measure():
    """Measures, also while nobody can be reached, and puts the message behind those that wait."""
    global number
    number += 1
    message = {"n": number}
    if clock_is_set:
        message["at"] = time.time_ns() // 1000000 + UNIX_FROM_2000 * 1000
    else:
        waiting.clear()  # without a clock the service says when it came, so only the newest can wait
    for name, read in SENSORS.items():
        value = measured(name, read)
        if value is not None and value == value:
            message[name] = value
    waiting.append(json.dumps(message))
    if len(waiting) > MOST_WAITING:
        waiting.pop(0)
        print("too many messages wait: the oldest is gone")


${keeps(plan) ? PYTHON_APPLY('') : ''}def on_message(topic, payload):
    global interval_s
    topic, text = topic.decode(), payload.decode()
    if topic == ROOT + "refused":
        print("REFUSED", text)
        return
    name = topic[len(ROOT + "wanted/"):]
    done = False
${
  keeps(plan)
    ? `    if name == "_keep":
        keeper.take(text)
        return
    if not keeper.may(name, text):
        print("wanted", name, "=", text, "it rests, not done")
        return
`
    : ''
}    try:
        if name == "interval" and float(text) >= 1:
            interval_s = float(text)
            done = True
${keeps(plan) ? '        if name in OUTPUTS:\n            done = apply(name, text)\n            if done:\n                keeper.was(name, text)\n' : ''}    except Exception as error:  # whatever an output does, the program goes on
        print("%s: %s" % (name, error))
    print("wanted", name, "=", text, "applied" if done else "not possible")
    if done:
        applied[name] = text


def place_of_service():
    """Host, port and path of the web address."""
    kind, _, address = settings.SERVICE_URL.partition("://")
    place, _, path = address.partition("/")
    host, _, port = place.partition(":")
    return host, int(port or (443 if kind == "https" else 80)), "/" + path if path else ""


def service_host(otherwise, port):
    """By its name in the local network, where that is known: a router may give it another address tomorrow."""
    if settings.SERVICE_NAME:
        try:
            socket.getaddrinfo(settings.SERVICE_NAME, port)
            return settings.SERVICE_NAME
        except OSError:
            pass
    return otherwise


def trusting():
    """TLS with the service's own authority, and no other."""
    import ssl

    trusted = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    trusted.verify_mode = ssl.CERT_REQUIRED
    trusted.load_verify_locations(cadata=settings.AUTHORITY.encode() + b"\\0")
    return trusted


def call_service(method, path, headers, body, as_device=True):
    """One call: the status and the bytes that came. As this device it carries the token, over TLS where the service has it."""
    named, port, under = place_of_service()
    host = service_host(named, port)
    link = socket.socket()
    try:
        link.settimeout(LIMIT_S)
        link.connect(socket.getaddrinfo(host, port)[0][-1])
        if as_device and settings.SERVICE_URL.startswith("https:"):
            link = trusting().wrap_socket(link, server_hostname=host)
        lines = ["%s %s%s HTTP/1.0" % (method, under, path), "Host: " + named]
        if as_device:
            lines.append("Authorization: Bearer " + settings.DEVICE_TOKEN)
        lines += ["%s: %s" % pair for pair in headers.items()]
        data = (body or "").encode()
        lines += ["Content-Length: %d" % len(data), "", ""]
        link.write("\\r\\n".join(lines).encode() + data)
        answer = b""
        while True:
            part = link.read(2048)
            if not part:
                break
            answer += part
    finally:
        link.close()
    head, _, rest = answer.partition(b"\\r\\n\\r\\n")
    return int(head.split(b" ")[1]), rest


def set_clock():
    """The time of the service, so that a board without the internet has one too; the internet's second."""
    global clock_is_set
    try:
        # Plain, and without the token: before the clock is set no certificate can be looked at.
        now = json.loads(call_service("GET", "/device/time", {}, None, False)[1])["now"]
        day = time.gmtime(now // 1000 - UNIX_FROM_2000)
        machine.RTC().datetime((day[0], day[1], day[2], day[6], day[3], day[4], day[5], now % 1000 * 1000))
        clock_is_set = True
        print("time: from the service")
        return
    except (OSError, ValueError, IndexError, KeyError) as error:
        print("time: not from the service (%s)" % error)
    try:
        ntptime.settime()
        clock_is_set = True
        print("time: from the internet")
    except Exception:
        print("no time from the network yet: the service says when messages came")


def look_for_firmware(state):
    """After the first report that arrived, and then every ten minutes; a sleeping board seldom."""
    if not state["arrived"]:
        return
    now = time.ticks_ms()
    if state["firmware_ms"] is None:
        firmware.reported()
        if settings.DEEP_SLEEP and number % 20 != 1:
            return
    elif time.ticks_diff(now, state["firmware_ms"]) < 600000:
        return
    state["firmware_ms"] = now
    try:
        if firmware.look(FIRMWARE_VERSION, call_service):
            machine.reset()
    except (OSError, ValueError, KeyError, IndexError) as error:
        print("no word of a new program:", error)


def wifi_up():
    """Never waits: it does what can be done now, and is asked again."""
    global wifi_tried_ms, wifi_told, setup_page
    known = known_wifi(settings.WIFI_NAME, settings.WIFI_PASSWORD)
    if known is None:
        setup_page = setup_page or SetupPage()
        setup_page.look()
        return False
    station = network.WLAN(network.STA_IF)
    if station.isconnected():
        if not wifi_told:
            wifi_told = True
            print("Wi-Fi: connected, this board is", station.ifconfig()[0])
            set_clock()
        return True
    if wifi_told:
        wifi_told = False
        lost("the Wi-Fi is gone")
    now = time.ticks_ms()
    if wifi_tried_ms is None or time.ticks_diff(now, wifi_tried_ms) >= 20000:
        if wifi_tried_ms is not None:
            print("Wi-Fi: no connection yet. Check WIFI_NAME and WIFI_PASSWORD in settings.py.")
        wifi_tried_ms = now
        print("Wi-Fi: connecting to", known[0])
        station.active(True)
        try:
            station.connect(*known)
        except OSError as error:
            print("Wi-Fi:", error)
    return False


def mqtt_up():
    global client, back_off_s${keeps(plan) ? ', kept_told' : ''}
    if client is not None:
        return True
    if failed_ms is not None and time.ticks_diff(time.ticks_ms(), failed_ms) < back_off_s * 1000:
        return False
    host = service_host(settings.MQTT_HOST, settings.MQTT_PORT)
    print("MQTT: connecting to %s:%d" % (host, settings.MQTT_PORT))
    link = MQTTClient(settings.DEVICE_ID, host, settings.MQTT_PORT,
                      user=settings.DEVICE_ID, password=settings.DEVICE_TOKEN, keepalive=60)
    link.set_callback(on_message)
    if getattr(settings, "AUTHORITY", ""):
        link.ssl = trusting()
    try:
        link.connect(timeout=LIMIT_S)
    except TypeError:  # an older library
        link.connect()
    link.sock.settimeout(LIMIT_S)
    link.subscribe(ROOT + "refused", 1)
    link.subscribe(ROOT + "wanted/#", 1)
${keeps(plan) ? '    kept_told = None\n' : ''}    client = link
${keeps(plan) ? '    keeper.heard()\n' : ''}    back_off_s = 1
    print("MQTT: connected")
    return True


def lost(error):
    global client, back_off_s, failed_ms
    print("connection lost or refused (%s), trying again in %d s; %d waiting" % (error, back_off_s, len(waiting)))
    try:
        client.sock.close()
    except Exception:
        pass
    client = None
    failed_ms = time.ticks_ms()
    back_off_s = min(60, back_off_s * 2)


def exchange(state):
    """Takes what is wanted, tells what was applied, sends one message that waits."""
${keeps(plan) ? '    global kept_told\n' : ''}    client.check_msg()
    client.sock.settimeout(LIMIT_S)
    for name in list(applied):
        client.publish(ROOT + "applied/" + name, applied[name], qos=1)
        del applied[name]
${
  keeps(plan)
    ? `    if kept_told != keeper.text:
        client.publish(ROOT + "about", json.dumps({"keeps": keeper.text}), qos=1)
        kept_told = keeper.text
`
    : ''
}    if waiting:
        # With QoS 1 this returns when the service has it on its disk.
        client.publish(ROOT + "report", waiting[0], qos=1)
        print("arrived", waiting.pop(0))
${keeps(plan) ? '        keeper.heard()\n' : ''}        state["arrived"] = True
        if not waiting:
            for name, take in IMAGES.items():
                data = measured(name, take)
                if data:
                    client.publish(ROOT + "report/" + name, data, qos=1)
    now = time.ticks_ms()
    if time.ticks_diff(now, state["ping_ms"]) >= ${keeps(plan) ? 'keeper.ask_ms()' : '20000'}:
        state["ping_ms"] = now
        client.ping()
        client.wait_msg()  # an answer, or an error where none comes
        client.sock.settimeout(LIMIT_S)
${keeps(plan) ? '        keeper.heard()\n' : ''}

def sleep_until_next(awake_ms):
    """What waits is kept in the memory that stays, as far as there is room."""
    kept = []
    for message in reversed(waiting):
        if sum(len(one) + 1 for one in kept) + len(message) > 1900:
            break
        kept.insert(0, message)
    try:
        machine.RTC().memory("\\n".join([str(number)] + kept))
    except Exception as error:
        print("nothing can be kept:", error)
    print("sleeping")
    machine.deepsleep(max(1000, int(interval_s * 1000) - awake_ms))


def wake_up():
    global number, clock_is_set
    try:
        kept = machine.RTC().memory().decode().split("\\n")
        number = int(kept[0])
        waiting.extend(one for one in kept[1:] if one)
        clock_is_set = time.gmtime()[0] >= 2024
    except Exception:
        pass


def main():
    print("Starting as", settings.DEVICE_ID)
    if settings.DEEP_SLEEP:
        wake_up()
    start_ms = time.ticks_ms()
    state = {"ping_ms": start_ms, "arrived": False, "firmware_ms": None}
    due_ms = start_ms
    while True:
        if watchdog is not None:
            watchdog.feed()
        if time.ticks_diff(time.ticks_ms(), due_ms) >= 0:
            due_ms = time.ticks_add(time.ticks_ms(), int(interval_s * 1000))
            measure()
        shorter_ms = time.ticks_add(time.ticks_ms(), int(interval_s * 1000))
        if time.ticks_diff(due_ms, shorter_ms) > 0:
            due_ms = shorter_ms  # a shorter interval holds at once
${keeps(plan) ? '        applied.update(keeper.look())\n' : ''}        try:
            if wifi_up() and mqtt_up():
                exchange(state)
                look_for_firmware(state)
        except Exception as error:  # whatever the network does, measuring goes on
            lost(error)
        awake_ms = time.ticks_diff(time.ticks_ms(), start_ms)
        if settings.DEEP_SLEEP and (awake_ms > 30000 or (not waiting and not applied and awake_ms > 5000)):
            sleep_until_next(awake_ms)
        time.sleep_ms(10 if waiting and client is not None else 100)


main()
`;
}
