// Keeps a page current. The server sends the URL paths of files that changed;
// the page replaces style sheets and images in place, patches its own text and
// attributes, and reloads if that is not possible.
//
// All tabs of a browser share one connection, which a shared worker holds:
// browsers allow only six connections to a server. This file is both the script
// of the page and that of the worker.
(() => {
	const prefix = "/.rinzel/";
	const silence = 40e3; // of a connection that is dead; the server sends a beat every 15 seconds

	// listen receives updates after a snapshot, and restores the connection.
	function listen(sum, receive) {
		let source, last;
		const open = () => {
			source?.close();
			last = Date.now();
			source = new EventSource(prefix + "events?sum=" + encodeURIComponent(sum));
			source.addEventListener("beat", () => last = Date.now());
			for (const kind of ["update", "reload"]) {
				source.addEventListener(kind, e => {
					last = Date.now();
					const update = JSON.parse(e.data);
					sum = update.sum;
					receive(kind, update);
				});
			}
			// An answer other than an event stream ends the source for good.
			source.onerror = () => source.readyState === 2 && setTimeout(open, 1000);
		};
		open();
		// A computer that was asleep does not notice that the connection is gone.
		setInterval(() => Date.now() - last > silence && open(), 5000);
		return () => sum;
	}

	if (typeof document === "undefined") {
		const ports = new Set();
		let current;
		self.onconnect = e => {
			const port = e.ports[0];
			port.onmessage = async ({ data }) => {
				if (data.left) return ports.delete(port);
				ports.add(port);
				current ??= listen(data.sum, (kind, update) => ports.forEach(p => p.postMessage({ kind, update })));
				if (data.sum === current()) return;
				// The page is older or newer than the connection.
				const missed = await (await fetch(prefix + "since?sum=" + encodeURIComponent(data.sum))).json();
				if (missed.reload) port.postMessage({ kind: "reload", update: missed });
				for (const update of missed.updates) port.postMessage({ kind: "update", update });
			};
		};
		return;
	}

	const script = document.currentScript;
	let sum = script.dataset.sum;

	// Updates are applied one after the other.
	let queue = Promise.resolve();
	const receive = (kind, update) => queue = queue.then(async () => {
		if (update.sum === sum) return;
		if (kind === "reload") return location.reload();
		sum = update.sum;
		await apply(update);
	}).catch(again);

	// again reloads the page as soon as the server answers: a browser that finds
	// no server shows a page of its own, which would not recover.
	function again() {
		fetch(location.href).then(() => location.reload(), () => setTimeout(again, 1000));
	}

	if (window.SharedWorker) {
		const port = new SharedWorker(prefix + "client.js").port;
		port.onmessage = ({ data }) => receive(data.kind, data.update);
		port.postMessage({ sum });
		addEventListener("pagehide", () => port.postMessage({ left: true }));
		addEventListener("pageshow", e => e.persisted && port.postMessage({ sum }));
	} else {
		listen(sum, receive);
	}

	// own is the page as it was sent, which a patch is relative to: scripts may
	// have changed the document.
	const load = async () => (await fetch(location.href, { headers: { Accept: "text/html" } })).text();
	const parse = text => new DOMParser().parseFromString(text, "text/html");
	let own = load();

	async function apply({ changed, removed }) {
		const path = decodeURI(location.pathname);
		const isOwn = p => p === path || p === path + "index.html" || p === path + ".html";
		if (changed.some(p => /\.m?js$/.test(p)) || removed.some(isOwn)) return location.reload();
		if (changed.some(isOwn)) {
			const before = await own, after = await load();
			own = Promise.resolve(after);
			if (!await patch(parse(before), parse(after))) return location.reload();
		}
		const set = new Set(changed.map(p => encodeURI(p)));
		const images = changed.filter(p => !/\.(css|html?|map)$/.test(p)).map(p => p.slice(p.lastIndexOf("/") + 1));
		const swaps = [];
		for (const root of roots(document)) {
			for (const link of root.querySelectorAll("link[rel~=stylesheet i]")) {
				if (set.has(pathOf(link.href)) || images.some(name => mentions(link.sheet, name))) {
					swaps.push(swap(link, fresh(link.href)));
				}
			}
			for (const e of root.querySelectorAll("[src], [srcset], [poster], link[rel~=icon i]")) {
				if (e.localName !== "script") refresh(e, set);
			}
		}
		await Promise.all(swaps);
	}

	// roots returns a document or shadow root and all open shadow roots in it.
	function* roots(root) {
		yield root;
		for (const e of root.querySelectorAll("*")) {
			if (e.shadowRoot) yield* roots(e.shadowRoot);
		}
	}

	function pathOf(url) {
		try {
			const u = new URL(url, document.baseURI);
			return u.origin === location.origin ? u.pathname : "";
		} catch {
			return "";
		}
	}

	// fresh returns a URL that the browser has not loaded yet.
	function fresh(url) {
		const u = new URL(url, document.baseURI);
		u.searchParams.set("rinzel", sum);
		return u.href;
	}

	function mentions(sheet, name) {
		try {
			return [...sheet.cssRules].some(rule => rule.cssText.includes(name));
		} catch {
			return false; // a sheet of another origin
		}
	}

	// swap loads a sheet beside the old one, and removes that when it is ready:
	// the page is never without the sheet.
	function swap(link, href, next = link.cloneNode()) {
		next.href = href;
		if (link.disabled || /alternate/i.test(link.rel)) { // not loaded
			link.replaceWith(next);
			return;
		}
		return new Promise(done => {
			// A script may remove the element: later updates must not wait for it.
			setTimeout(done, 5000);
			next.onload = () => {
				link.remove();
				done();
			};
			next.onerror = () => {
				next.remove();
				done();
			};
			link.after(next);
		});
	}

	// refresh loads the images of an element anew if they changed.
	function refresh(e, set) {
		for (const name of ["src", "poster", "href"]) {
			const value = e.getAttribute(name);
			if (value && set.has(pathOf(value))) e.setAttribute(name, fresh(value));
		}
		const list = e.getAttribute("srcset");
		const renewed = list?.replace(/[^\s,]\S*[^\s,]/g, url => set.has(pathOf(url)) ? fresh(url) : url);
		if (renewed !== undefined && renewed !== list) e.setAttribute("srcset", renewed);
	}

	// patch applies the differences between two versions of the page to the
	// document. It returns false, without changing anything, if elements were
	// added or removed, or if a script changed what differs.
	async function patch(before, after) {
		const edits = [];
		const walk = (a, b, live) => {
			if (a.isEqualNode(b)) return true;
			if (!live || a.nodeName !== b.nodeName || a.nodeName !== live.nodeName) return false;
			if (a.nodeType === 3 || a.nodeType === 8) {
				if (live.data !== a.data) return false;
				edits.push(() => live.data = b.data);
				return true;
			}
			if (a.localName === "script") return a.src === script.src;
			if (a.localName === "link" && /stylesheet/i.test(a.rel)) {
				edits.push(() => swap(live, b.href, document.importNode(b)));
				return true;
			}
			for (const name of new Set([...names(a), ...names(b)])) {
				if (a.getAttribute(name) === b.getAttribute(name)) continue;
				if (live.getAttribute(name) !== a.getAttribute(name)) return false;
				edits.push(() => b.hasAttribute(name) ? live.setAttribute(name, b.getAttribute(name)) : live.removeAttribute(name));
			}
			const [x, y, z] = [a, b, live].map(e => e.childNodes);
			if (x.length !== y.length || x.length > z.length) return false;
			return [...x].every((child, i) => walk(child, y[i], z[i]));
		};
		const names = e => e.getAttributeNames();
		if (before.compatMode !== after.compatMode || !walk(before.documentElement, after.documentElement, document.documentElement)) {
			return false;
		}
		await Promise.all(edits.map(edit => edit()));
		return true;
	}
})();
