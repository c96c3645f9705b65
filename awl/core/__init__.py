"""The science of Awl: arrays in, arrays out.

Nothing below this package knows of files, databases, HTTP or the interface.
"""
