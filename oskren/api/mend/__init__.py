"""Mend over HTTP: the chain of a sound, reels, saved chains, kinds of steps and plug-ins."""
