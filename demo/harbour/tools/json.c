// Makes JSON files lighter: white space between tokens goes.
#include "text.h"

void _start(void)
{
	int quoted = 0;

	read_input();
	for (unsigned long at = 0; at < size; at++) {
		char c = input[at];

		if (!quoted && (c == ' ' || c == '\t' || c == '\r' || c == '\n'))
			continue;
		put(c);
		if (c == '\\' && quoted && at + 1 < size)
			put(input[++at]);
		else if (c == '"')
			quoted = !quoted;
	}
	write_output();
}
