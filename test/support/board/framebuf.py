MONO_VLSB = 0


class FrameBuffer:
    def __init__(self, pixels, width, height, form):
        pass

    def text(self, text, x, y):
        pass
