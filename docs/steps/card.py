#!/usr/bin/env python3
"""Compiles components: the result is the script block, which also exports the markup."""
import json
import re
import sys


def block(name, text):
    """Returns the text of a block of a component."""
    found = re.search(r"<%s\b[^>]*>\n?(.*?)</%s>" % (name, name), text, re.S)
    return found.group(1) if found else ""


for line in sys.stdin:
    text = json.loads(line)["text"]
    made = block("script", text) + "export const markup = %s;\n" % json.dumps(block("template", text))
    print(json.dumps({"text": made, "more": True}), flush=True)
