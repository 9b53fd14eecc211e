# A stand-in of the board's clock: sleeping really sleeps, without turning in circles.
import board


def ticks_ms():
    return int(board.ticks())


def ticks_diff(a, b):
    return a - b


def ticks_add(a, b):
    return a + b


def sleep_ms(ms):
    board.sleep(ms)


def sleep_us(us):
    pass


def sleep(seconds):
    board.sleep(int(seconds * 1000))


def time_ns():
    return int(board.now()) * 1000000


def time():
    return int(board.now()) // 1000


def gmtime(seconds=None):
    seconds = time() if seconds is None else seconds
    days, rest = seconds // 86400, seconds % 86400
    z = days + 719468
    era = z // 146097
    doe = z - era * 146097
    yoe = (doe - doe // 1460 + doe // 36524 - doe // 146096) // 365
    doy = doe - (365 * yoe + yoe // 4 - yoe // 100)
    mp = (5 * doy + 2) // 153
    month = mp + 3 if mp < 10 else mp - 9
    year = yoe + era * 400 + (1 if month <= 2 else 0)
    return (year, month, doy - (153 * mp + 2) // 5 + 1, rest // 3600, rest // 60 % 60, rest % 60, (days + 3) % 7, 0)
