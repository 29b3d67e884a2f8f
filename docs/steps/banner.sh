#!/bin/sh
# Puts a comment before a bundle. The protocol is "text": the sheet comes in, and
# goes out.
printf '/*! %s, made for %s */\n' "$RINZEL_PATH" "$RINZEL_PROFILE"
exec cat
