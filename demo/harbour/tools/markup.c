// Makes scripts lighter: in template literals, which contain markup in our scripts,
// a line break with its indentation becomes one space.
#include "text.h"

void _start(void)
{
	unsigned long at = 0;
	char quote = 0;

	read_input();
	for (; at < size; at++) {
		char c = input[at];

		if (quote == 0 && (starts(at, "//") || starts(at, "/*"))) {
			const char *end = starts(at, "//") ? "\n" : "*/";

			while (at < size && !starts(at, end))
				put(input[at++]);
			at--;
			continue;
		}
		if (c == '"' || c == '\'' || c == '`')
			quote = quote == 0 ? c : quote == c ? 0 : quote;
		if (quote == '`' && c == '\n') {
			while (at + 1 < size && input[at + 1] == ' ')
				at++;
			c = ' ';
		}
		put(c);
		if (c == '\\' && quote != 0 && at + 1 < size)
			put(input[++at]);
	}
	write_output();
}
