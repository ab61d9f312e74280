"""Stand-ins for hardware: a field recorder with props to play and places to fight, and the card it writes to.

A device knows nothing of libraries: what it leaves is files in a folder, as a real one would.
"""
