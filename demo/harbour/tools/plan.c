// Reads the plan of the quay: a line for each boat, with its name, its first
// bollard, the number of bollards, and a constant with a colour.
//
//	petrel 1 5 color.sea
//
// It gives a rule for each line, in the same line. "#" starts a comment.
#include "text.h"

static unsigned long at;

// word puts the next word of the line between two texts.
static void word(const char *before, const char *after)
{
	while (at < size && input[at] == ' ')
		at++;
	put_text(before);
	while (at < size && input[at] != ' ' && input[at] != '\n')
		put(input[at++]);
	put_text(after);
}

void _start(void)
{
	read_input();
	while (at < size) {
		if (input[at] != '#' && input[at] != '\n') {
			word(".berth-", " { grid-column: ");
			word("", " / span ");
			word("", "; --boat: const(");
			word("", "); }");
		}
		while (at < size && input[at] != '\n')
			at++;
		if (at++ < size)
			put('\n');
	}
	write_output();
}
