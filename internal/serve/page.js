// Updates everything but linked style sheets in place: the page itself, images,
// fonts, and sheets that scripts made.

// modules are the sheets that modules of a build added to the page, by the URLs
// of the modules.
const modules = self[Symbol.for("rinzel")] ??= new Map();

// update brings the page up to date with changed files. urls are their URLs,
// except for linked sheets. versions are the page as it was sent before, and as
// it is sent now, if it changed. update returns false if the page must reload.
export async function update(urls, versions, { roots, plain, fresh, swap }) {
	const scripts = [...urls].filter(u => /\.m?js$/.test(u));
	if (!scripts.every(u => modules.has(u))) return false;
	if (versions && !await patch(...versions, swap)) return false;
	await Promise.all(scripts.map(u => adopt(u, fresh(u))));
	for (const url of urls) {
		if (url.endsWith(".css") && !await replace(url, fresh(url), roots)) return false;
	}
	const files = new Set([...urls].filter(u => !/\.(css|html?|m?js)$/.test(u)));
	if (files.size) await refresh(files, { roots, plain, fresh, swap });
	return true;
}

// textOf returns the rules of a sheet, or "" for one of another origin.
function textOf(sheet) {
	try {
		return [...sheet.cssRules].map(rule => rule.cssText).join("\n");
	} catch {
		return "";
	}
}

// adopt loads a module that added a sheet to the page anew, and puts its sheet
// in the place of the old one.
async function adopt(url, again) {
	await import(again);
	const next = modules.get(again), old = modules.get(url);
	document.adoptedStyleSheets = document.adoptedStyleSheets.filter(s => s !== next).map(s => s === old ? next : s);
	modules.set(url, next);
}

// made are the sheets that scripts made from files, by URL, as far as they were
// found.
const made = new Map();

// replace updates the sheets that scripts made from a file, whose present
// version has the URL now. They are found by their rules. It returns false if
// there are none, but the page loaded the file.
async function replace(url, now, roots) {
	const used = new Set([...roots(document)].flatMap(root => [...root.adoptedStyleSheets]));
	const loaded = performance.getEntriesByName(url).length > 0;
	if (!used.size) return !loaded;
	const [before, after] = await Promise.all(["/.rinzel/before?path=" + encodeURIComponent(new URL(url).pathname), now]
		.map(async u => (await fetch(u)).text()));
	const probe = new CSSStyleSheet();
	probe.replaceSync(before);
	const same = new Set(made.get(url));
	for (const sheet of used) {
		if (before && textOf(sheet) === textOf(probe)) same.add(sheet);
	}
	for (const sheet of same) sheet.replaceSync(after);
	made.set(url, same);
	return same.size > 0 || !loaded;
}

// refresh loads changed images, fonts and other files anew, where the page and
// its sheets refer to them.
async function refresh(files, { roots, plain, fresh, swap }) {
	const names = [...files].map(u => u.slice(u.lastIndexOf("/") + 1));
	const mentions = text => names.some(name => text.includes(name));
	const renewed = url => files.has(plain(url)) ? fresh(url) : url;
	const inStyle = text => text.replace(/(url\(\s*["']?)([^"')]+)/gi, (_, start, url) => start + renewed(url));
	// The server gives sheets the same URLs. Images are loaded first, so that
	// backgrounds do not disappear in between.
	await Promise.all([...files].filter(u => /\.(avif|gif|ico|jpe?g|png|svg|webp)$/.test(u)).map(u => {
		const image = new Image();
		image.src = fresh(u);
		return image.decode().catch(() => 0);
	}));
	const swaps = [];
	for (const root of roots(document)) {
		for (const link of root.querySelectorAll("link[rel~=stylesheet i]")) {
			if (mentions(textOf(link.sheet))) swaps.push(swap(link, fresh(link.href)));
		}
		for (const style of root.querySelectorAll("style")) {
			if (mentions(style.textContent)) style.textContent = inStyle(style.textContent);
		}
		for (const sheet of root.adoptedStyleSheets) {
			if (mentions(textOf(sheet))) sheet.replaceSync(inStyle(textOf(sheet)));
		}
		for (const e of root.querySelectorAll("[src], [srcset], [poster], [style], object, image, use, link[rel~=icon i]")) {
			const change = (name, edit) => {
				const value = e.getAttribute(name);
				const next = value && edit(value);
				if (next && next !== value) e.setAttribute(name, next);
			};
			if (e.localName === "script") continue;
			for (const name of ["src", "poster", "href", "data"]) change(name, renewed);
			change("srcset", list => list.replace(/[^\s,]\S*[^\s,]/g, renewed));
			change("style", inStyle);
		}
	}
	await Promise.all(swaps);
}

const isSheet = node => node.localName === "link" && /stylesheet/i.test(node.rel);

// isLoose reports whether a node can be added and removed in place.
const isLoose = node => isSheet(node) || node.localName === "style" || node.nodeType === 8 ||
	node.nodeType === 3 && !node.data.trim();

// sent returns an attribute without what makes URLs fresh.
const sent = text => text?.replace(/[?&]rinzel=[\w.-]*/g, "");

// patch applies the differences between two versions of the page to the
// document. It returns false, without changing anything, if elements other than
// sheets were added or removed, or if a script changed what differs.
async function patch(before, after, swap) {
	const edits = [];
	const walk = (a, b, live) => {
		if (a.isEqualNode(b)) return true;
		if (!live || a.nodeName !== b.nodeName || a.nodeName !== live.nodeName) return false;
		if (a.nodeType === 3 || a.nodeType === 8) {
			if (sent(live.data) !== a.data) return false;
			edits.push(() => live.data = b.data);
			return true;
		}
		if (a.localName === "script") return false;
		if (isSheet(a) && isSheet(b)) {
			edits.push(() => swap(live, b.href, document.importNode(b)));
			return true;
		}
		for (const name of new Set([...a.getAttributeNames(), ...b.getAttributeNames()])) {
			const [from, to] = [a.getAttribute(name), b.getAttribute(name)];
			if (from === to) continue;
			if ((sent(live.getAttribute(name)) ?? null) !== from) return false;
			edits.push(() => to === null ? live.removeAttribute(name) : live.setAttribute(name, to));
		}
		const [x, y, z] = [a, b, live].map(e => [...e.childNodes]);
		if (x.length > z.length) return false;
		const done = edits.length;
		if (x.length === y.length && x.every((child, i) => walk(child, y[i], z[i]))) return true;
		edits.length = done;
		return walkLoose(x, y, z, live);
	};
	// walkLoose is for nodes of which some were added or removed.
	const walkLoose = (x, y, z, parent) => {
		let start = 0, end = 0;
		while (start < x.length && start < y.length && x[start].isEqualNode(y[start])) start++;
		while (end < Math.min(x.length, y.length) - start && x.at(-1 - end).isEqualNode(y.at(-1 - end))) end++;
		const old = z.slice(start, x.length - end), now = y.slice(start, y.length - end);
		if (![...old, ...now].every(isLoose) || old.some((node, i) => node.nodeName !== x[start + i].nodeName)) return false;
		edits.push(async () => {
			const anchor = z[x.length - end] ?? null;
			await Promise.all(now.map(node => new Promise(done => {
				const next = document.importNode(node, true);
				next.onload = next.onerror = done;
				parent.insertBefore(next, anchor);
				if (!isSheet(next)) done();
			})));
			old.forEach(node => node.remove());
		});
		return true;
	};
	for (const version of [before, after]) version.querySelector("script[data-page]").dataset.sum = "";
	if (before.compatMode !== after.compatMode ||
		!walk(before.documentElement, after.documentElement, document.documentElement)) return false;
	await Promise.all(edits.map(edit => edit()));
	return true;
}
