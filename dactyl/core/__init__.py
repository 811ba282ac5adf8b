"""The computation: values in, values out. No Django, no sockets, no clock, no global state."""
