// Makes pages lighter: comments and the indentation of lines go, except in elements
// that keep their text as it is.
#include "text.h"

static const char *const kept[] = { "pre", "textarea", "script", "style" };

// ends returns the start of the end tag of an element that keeps its text, or 0.
static unsigned long ends(unsigned long at)
{
	for (unsigned i = 0; i < sizeof kept / sizeof *kept; i++) {
		if (!starts(at + 1, kept[i]))
			continue;
		for (unsigned long end = at; end < size; end++)
			if (starts(end, "</") && starts(end + 2, kept[i]))
				return end;
		return size;
	}
	return 0;
}

void _start(void)
{
	unsigned long at = 0;

	read_input();
	while (at < size) {
		unsigned long end = input[at] == '<' ? ends(at) : 0;

		if (end > 0) {
			while (at < end)
				put(input[at++]);
			if (at < size)
				put(input[at++]);
		} else if (starts(at, "<!--")) {
			while (at < size && !starts(at, "-->"))
				at++;
			at += 3;
		} else if (input[at] == ' ' && made > 0 && output[made - 1] == '\n') {
			at++;
		} else {
			put(input[at++]);
		}
	}
	write_output();
}
