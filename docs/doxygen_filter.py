"""Marks comments for Doxygen: one at the beginning of a line describes what follows it, one behind code what is before
it. What follows a described function on the next line shares its description."""
import re
import sys

DECLARATION = re.compile(r"^(?!(struct|enum) \w+ \{|typedef |[#/}\s]).*[\w*]\(")


def shared(lines):
    """The lines, with a function's comment again before each further function of its row."""
    comment, row, in_comment = [], False, False
    for line in lines:
        if line.startswith("/**") or in_comment:
            comment = [] if line.startswith("/**") else comment
            comment.append(line)
            in_comment = "*/" not in line
            row = False
        elif not line.strip() or line.startswith(("#", "}")):
            comment, row = [], False
        elif DECLARATION.match(line):
            yield from comment if row else []
            row = True
        yield line


text = open(sys.argv[1], encoding="utf-8").read()
text = re.sub(r"\A/\* ", "/** @file\n * ", text)  # the first says what the header is for
text = re.sub(r"^([ \t]*)/\* ", r"\1/** ", text, flags=re.M)
text = re.sub(r"(\S[ \t]+)/\* ", r"\1/**< ", text)
sys.stdout.write("\n".join(shared(text.split("\n"))))
