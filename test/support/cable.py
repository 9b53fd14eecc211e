"""A serial port that is none: prints its name, and passes on what comes by standard input and output."""
import os
import pty
import select
import sys
import tty

board, port = pty.openpty()
tty.setraw(port)
print(os.ttyname(port), file=sys.stderr, flush=True)
while True:
    ready, _, _ = select.select([board, 0], [], [])
    for one in ready:
        data = os.read(one, 4096)
        if not data:
            sys.exit()
        target = 1 if one == board else board
        while data:
            data = data[os.write(target, data):]
