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
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/split"
	"rinzel/internal/step/check"
	"rinzel/internal/step/purge"
)

// Cache is what the builds of a project keep for each other, so that only what
// depends on a change is done again. Builds with one cache are of the same project
// and with the same options, one after another. They return what builds without one would.
type Cache struct {
	tree     *source.Tree
	store    *cache.Store
	files    *inventory.Inventory
	linked   *link.Cache
	scripts  graph.Scripts
	evidence *evidence.Cache
	packer   *emit.Packer

	units    *cache.Table[source.Path, *pageUnits]
	bundles  *cache.Table[string, *madeBundle]
	elements *cache.Table[elementKey, *madeElement]

	plan   split.Memo
	judged *purge.Evidence // by which pieces were judged last
	uses   *purge.Uses     // that the last bundles were made with

	mu      sync.Mutex
	checker *check.Checker             // nil before the first build
	chains  map[string]*pipeline.Chain // on sheets, by the names of their steps
}

// NewCache returns an empty cache for builds of a project of which nothing has been read yet.
func NewCache(p *project.Project) *Cache {
	store := cache.NewStore(p.Tree)
	return &Cache{
		tree: p.Tree, store: store, files: inventory.New(p, store), linked: link.NewCache(store), scripts: graph.NewScripts(store),
		evidence: evidence.NewCache(store), packer: emit.NewPacker(p.Tree, store),
		units: cache.NewTable[source.Path, *pageUnits](store), bundles: cache.NewTable[string, *madeBundle](store),
		elements: cache.NewTable[elementKey, *madeElement](store), chains: make(map[string]*pipeline.Chain),
	}
}

// Files returns the files of the project.
func (c *Cache) Files() *inventory.Inventory { return c.files }

// Apply has the next build look at files again that were changed, made or removed, and at those to which links lead. Findings
// of builds before the last one must not be shown any more: the texts that they are about may be gone.
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

// chain returns a list of steps on sheets that is ready to run. What is made for one build serves all.
func (c *Cache) chain(list []string, settings func() *pipeline.Settings) (*pipeline.Chain, error) {
	key := strings.Join(list, " ")
	c.mu.Lock()
	defer c.mu.Unlock()
	if chain := c.chains[key]; chain != nil {
		return chain, nil
	}
	chain, err := pipeline.New(list, settings())
	if err == nil { // else the next build is to fail as well
		c.chains[key] = chain
	}
	return chain, err
}
