"""Playing and looking: the transport, what is heard, the frames that are shown. No widgets."""
