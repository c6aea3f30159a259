"""The shared library: templates and their editions, records, facts, frames and files.

Import the module that is needed: catalogue is light, store brings the database along.
"""
