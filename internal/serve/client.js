// Keeps a page current. The server sends the URL paths of files that changed;
// the page replaces style sheets in place, and leaves everything else to
// page.js, which is loaded when it is needed. It reloads if nothing else is
// possible. It also shows why a build failed.
//
// All tabs of a browser share one connection, which a shared worker holds:
// browsers allow only six connections to a server. This file is both the script
// of the page and that of the worker.
(() => {
	const prefix = "/.rinzel/";
	const silence = 40e3; // of a connection that is dead; the server sends a beat every 15 seconds

	// listen receives events after a snapshot, and restores the connection.
	function listen(sum, receive) {
		let source, last;
		const open = () => {
			source?.close();
			last = Date.now();
			source = new EventSource(prefix + "events?sum=" + encodeURIComponent(sum));
			source.addEventListener("beat", () => last = Date.now());
			for (const kind of ["update", "reload", "problem"]) {
				source.addEventListener(kind, e => {
					last = Date.now();
					const data = JSON.parse(e.data);
					sum = data.sum ?? sum;
					receive({ kind, data });
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
		let current, problem;
		self.onconnect = e => {
			const port = e.ports[0];
			port.onmessage = async ({ data }) => {
				if (data.left) return ports.delete(port);
				ports.add(port);
				if (problem) port.postMessage(problem);
				current ??= listen(data.sum, event => {
					if (event.kind === "problem") problem = event;
					ports.forEach(p => p.postMessage(event));
				});
				if (data.sum === current()) return;
				// The page is older or newer than the connection.
				const missed = await (await fetch(prefix + "since?sum=" + encodeURIComponent(data.sum))).json();
				if (missed.reload) port.postMessage({ kind: "reload", data: missed });
				for (const update of missed.updates) port.postMessage({ kind: "update", data: update });
			};
		};
		return;
	}

	const script = document.currentScript;
	// page is the URL path of the page. own is set on pages of the server itself:
	// it is the ID of the problem that they show.
	const { page, own } = script.dataset;
	let sum = script.dataset.sum;

	// Events are handled one after the other.
	let queue = Promise.resolve();
	const receive = ({ kind, data }) => queue = queue.then(async () => {
		if (kind === "problem") return show(data);
		if (data.sum === sum) return;
		if (kind === "reload" || own !== undefined || data.pages) return location.reload();
		sum = data.sum;
		await apply(data);
	}).catch(again);

	// again reloads the page as soon as the server answers: a browser that finds
	// no server shows a page of its own, which would not recover.
	function again() {
		fetch(location.href).then(() => location.reload(), () => setTimeout(again, 1000));
	}

	const direct = () => listen(sum, receive);
	try {
		const worker = new SharedWorker(prefix + "client.js");
		worker.addEventListener("error", direct, { once: true });
		const port = worker.port;
		port.onmessage = ({ data }) => receive(data);
		port.postMessage({ sum });
		addEventListener("pagehide", () => port.postMessage({ left: true }));
		addEventListener("pageshow", e => e.persisted && port.postMessage({ sum }));
	} catch {
		direct(); // the browser, or a content security policy, allows no workers
	}

	// load returns a page as a document. Policies that forbid to parse HTML from
	// strings allow this.
	const load = url => new Promise((done, fail) => {
		const request = new XMLHttpRequest();
		request.open("GET", url);
		request.responseType = "document";
		request.setRequestHeader("Accept", "text/html");
		request.onload = () => done(request.response);
		request.onerror = fail;
		request.send();
	});

	let panel;
	async function show({ id, pages }) {
		if (own !== undefined) return own !== id && location.reload();
		const old = panel;
		panel = null;
		if (id && (!pages.length || pages.includes(page))) {
			const parts = [...(await load(prefix + "findings")).querySelectorAll("link, main")];
			panel = document.createElement("div");
			panel.style.cssText = "all: initial; position: fixed; inset: auto 0 0; z-index: 2147483647"
				.replace(/;|$/g, " !important;");
			panel.attachShadow({ mode: "open" }).append(...parts.map(e => document.importNode(e, true)));
			panel.shadowRoot.querySelector("button").onclick = () => panel.remove();
			await new Promise(done => {
				panel.shadowRoot.querySelector("link").onload = done;
				setTimeout(done, 1000);
				document.documentElement.append(panel);
			});
		}
		old?.remove();
	}
	addEventListener("keydown", e => e.key === "Escape" && panel?.remove());

	// source is the page as it was sent, which a patch is relative to: scripts may
	// have changed the document.
	let source = page && load(location.href);

	async function apply({ changed, removed }) {
		if (removed.includes(page)) return location.reload();
		const set = new Set(changed.filter(p => !p.endsWith(".map")).map(urlOf));
		const gone = new Set(removed.map(urlOf));
		const swaps = [], rest = new Set(set);
		for (const root of roots(document)) {
			for (const link of root.querySelectorAll("link[rel~=stylesheet i]")) {
				const url = plain(link.href);
				if (set.has(url)) swaps.push(swap(link, fresh(link.href)));
				if (gone.has(url)) link.href = fresh(link.href);
				rest.delete(url);
			}
		}
		await Promise.all(swaps);
		if (!rest.size) return;
		const after = changed.includes(page) && load(location.href);
		const { update } = await import(prefix + "page.js");
		if (!await update(rest, after && [await source, await after], { roots, plain, fresh, swap })) location.reload();
		if (after) source = after;
	}

	// roots returns a document or shadow root and all open shadow roots in it.
	function* roots(root) {
		yield root;
		for (const e of root.querySelectorAll("*")) {
			if (e.shadowRoot) yield* roots(e.shadowRoot);
		}
	}

	const urlOf = path => new URL(encodeURI(path), location).href;

	// plain returns an absolute URL without query and fragment.
	function plain(url) {
		try {
			return new URL(url, document.baseURI).href.replace(/[?#].*/, "");
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

	// swap loads a sheet beside the old one, and removes that when it is ready:
	// the page is never without the sheet.
	function swap(link, href, next = link.cloneNode()) {
		next.href = href;
		if (link.disabled || /alternate/i.test(link.rel)) { // not loaded
			link.replaceWith(next);
			return;
		}
		return new Promise(done => {
			const end = element => {
				clearTimeout(timer);
				next.onload = next.onerror = null;
				element?.remove();
				done();
			};
			// A script may remove the element: later updates must not wait for it.
			const timer = setTimeout(end, 5000);
			next.onload = () => end(link);
			next.onerror = () => end(next);
			link.after(next);
		});
	}
})();
