// What a step with the protocol "text" needs in a module: it reads its standard
// input, and writes its standard output (WASI preview 1). Build a step with
//
//	clang --target=wasm32 -Oz -nostdlib -fno-builtin -Wl,--strip-all -o plan.wasm plan.c

struct piece {
	char *text;
	unsigned long size;
};

#define WASI(name) __attribute__((import_module("wasi_snapshot_preview1"), import_name(#name)))

WASI(fd_read) int fd_read(int file, const struct piece *to, unsigned long pieces, unsigned long *count);
WASI(fd_write) int fd_write(int file, const struct piece *from, unsigned long pieces, unsigned long *count);

// The texts, and the end of each. A larger one ends the step with a trap.
static char input[1 << 20], output[1 << 21];
static unsigned long size, made;

static inline void read_input(void)
{
	unsigned long count = 1;

	while (count > 0) {
		struct piece rest = { input + size, sizeof input - size };

		if (rest.size == 0 || fd_read(0, &rest, 1, &count) != 0)
			__builtin_trap();
		size += count;
	}
}

static inline void put(char c)
{
	if (made == sizeof output)
		__builtin_trap();
	output[made++] = c;
}

static inline void put_text(const char *text)
{
	while (*text)
		put(*text++);
}

static inline void write_output(void)
{
	unsigned long count, done = 0;

	while (done < made) {
		struct piece rest = { output + done, made - done };

		if (fd_write(1, &rest, 1, &count) != 0)
			__builtin_trap();
		done += count;
	}
}

// starts reports whether the input goes on with a text.
static inline int starts(unsigned long at, const char *text)
{
	while (*text)
		if (at == size || input[at++] != *text++)
			return 0;
	return 1;
}
