// Puts a comment before bundles that minifying keeps.
#include "text.h"

void _start(void)
{
	read_input();
	put_text("/*! Sallow Quay, harbour office */\n");
	for (unsigned long at = 0; at < size; at++)
		put(input[at]);
	write_output();
}
