"""Plug-ins of the user's machine (VST 3, through pedalboard): opened by hand, kept on a shelf, run in a process of their own with a time limit."""
