"""Marks comments for Doxygen: one at the beginning of a line describes what follows it, one behind code what is before it."""
import re
import sys

text = open(sys.argv[1], encoding="utf-8").read()
text = re.sub(r"\A/\* ", "/** @file\n * ", text)  # the first says what the header is for
text = re.sub(r"^([ \t]*)/\* ", r"\1/** ", text, flags=re.M)
text = re.sub(r"(\S[ \t]+)/\* ", r"\1/**< ", text)
sys.stdout.write(text)
