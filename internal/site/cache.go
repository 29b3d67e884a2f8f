package site

import (
	"strings"
	"sync"

	"rinzel/internal/cache"
	"rinzel/internal/emit"
	"rinzel/internal/evidence"
	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/link"
	"rinzel/internal/objects"
	"rinzel/internal/own"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/split"
	"rinzel/internal/step/check"
	"rinzel/internal/step/purge"
)

// Cache holds the results of the builds of one project, so that the next build
// only recomputes what depends on a change. All builds that use a cache must
// have the same options, and must not run concurrently. A build with a cache
// returns the same result as one without.
type Cache struct {
	tree     *source.Tree
	store    *cache.Store
	files    *inventory.Inventory
	linked   *link.Cache
	scripts  graph.Scripts
	evidence *evidence.Cache
	packer   *emit.Compressor
	results  *objects.Store // of slow work, for later processes; opened with the first build
	own      *own.Steps     // nil if the settings define none, and before the first build

	finished *cache.Table[source.Path, *finishedFile]
	units    *cache.Table[source.Path, *pageUnits]
	bundles  *cache.Table[string, *madeBundle]
	elements *cache.Table[elementKey, *madeElement]

	plan         split.Memo
	lastEvidence *purge.Evidence // evidence of the last purge verdicts
	lastUses     *purge.Uses     // uses that the last bundles were built with

	mu      sync.Mutex
	checker *check.Checker             // nil before the first build
	chains  map[string]*pipeline.Chain // of sheets, by the names of their steps
}

// NewCache returns an empty cache for builds of a project of which nothing has
// been read yet.
func NewCache(p *project.Project) *Cache {
	store := cache.NewStore(p.Tree)
	return &Cache{
		tree: p.Tree, store: store, files: inventory.New(p, store), linked: link.NewCache(store),
		scripts:  graph.NewScripts(store),
		evidence: evidence.NewCache(store), packer: emit.NewCompressor(p.Tree, store),
		finished: cache.NewTable[source.Path, *finishedFile](store),
		units:    cache.NewTable[source.Path, *pageUnits](store), bundles: cache.NewTable[string, *madeBundle](store),
		elements: cache.NewTable[elementKey, *madeElement](store), chains: make(map[string]*pipeline.Chain),
	}
}

// Files returns the files of the project.
func (c *Cache) Files() *inventory.Inventory { return c.files }

// Apply invalidates files that were changed, created or deleted, and files that
// are links to them. Findings of earlier builds must not be rendered
// afterwards: the texts they refer to may be gone.
func (c *Cache) Apply(changed []source.Path) {
	c.tree.DropOld()
	for _, p := range changed {
		c.tree.Forget(p)
	}
	for _, p := range c.tree.Linked() {
		c.tree.Forget(p)
	}
	c.store.Advance()
}

// chain returns a chain of steps on sheets. It is constructed once and shared
// by all builds.
func (c *Cache) chain(list []string, settings func() *pipeline.Settings) (*pipeline.Chain, error) {
	key := strings.Join(list, " ")
	c.mu.Lock()
	defer c.mu.Unlock()
	if chain := c.chains[key]; chain != nil {
		return chain, nil
	}
	chain, err := pipeline.New(list, settings())
	if err == nil { // an error is not cached: the next build must fail as well
		c.chains[key] = chain
	}
	return chain, err
}
