import json
import board


class MQTTException(Exception):
    pass


class _Sock:
    def settimeout(self, seconds):
        pass

    def close(self):
        board.ask("mqttEnd", "[]")


class MQTTClient:
    """The board's library over a real connection, which a program in JavaScript holds."""

    def __init__(self, client_id, server, port=0, user=None, password=None, keepalive=0):
        self.facts = [client_id, server, port, user, password, keepalive]
        self.sock = _Sock()

    def set_callback(self, callback):
        self.callback = callback

    def _ask(self, what, facts):
        said = json.loads(board.ask(what, json.dumps(facts)))
        if isinstance(said, dict) and "error" in said:
            raise OSError(said["error"])
        return said

    def connect(self, clean_session=True, timeout=None):
        self._ask("mqttConnect", self.facts)

    def subscribe(self, topic, qos=0):
        self._ask("mqttSubscribe", [topic, qos])

    def publish(self, topic, message, retain=False, qos=0):
        text = message if isinstance(message, str) else message.decode()
        self._ask("mqttPublish", [topic, text, qos])

    def check_msg(self):
        for topic, payload in self._ask("mqttMessages", []):
            self.callback(topic.encode(), payload.encode())

    def ping(self):
        self._ask("mqttPing", [])

    def wait_msg(self):
        self.check_msg()
