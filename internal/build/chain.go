package build

import (
	"cmp"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/pipeline"
	"rinzel/internal/source"
	"rinzel/internal/step"
	"rinzel/internal/step/compose"
	"rinzel/internal/step/lower"
	"rinzel/internal/step/prefix"
	"rinzel/internal/step/purge"
)

// This file takes units through the steps that the settings name.

// stepSettings returns what steps are made with.
func (b *builder) stepSettings() *pipeline.Settings {
	targets, s := b.project.Settings.TargetsOf(b.profile), b.project.Settings
	return &pipeline.Settings{
		Compose: b.limits(),
		Lower:   lower.Options{Targets: targets, Direction: s.Lower.Direction, AsIs: s.Lower.AsIs},
		Prefix:  prefix.Options{Targets: targets, AsIs: s.Prefix.AsIs},
		Purge: purge.Options{Evidence: b.evidence, Uses: b.uses, Properties: s.Purge.Properties, Supported: b.supported,
			Verdicts: b.opts.Ledger, KeepSheet: b.keepSheet},
	}
}

// limits returns how much sheets may make.
func (b *builder) limits() compose.Limits {
	limits, own := compose.DefaultLimits, b.project.Settings.Limits
	if own.Values > 0 {
		limits.Values = own.Values
	}
	if own.Turns > 0 {
		limits.Turns = own.Turns
	}
	if own.Calls > 0 {
		limits.Calls = own.Calls
	}
	return limits
}

// chainOf returns the chain that a sheet goes through.
func (b *builder) chainOf(p source.Path) *pipeline.Chain {
	return b.memory.chain(b.project.Settings.ChainOf(p), b)
}

// chain returns a list of steps on sheets that is ready to run. What is made for one build serves all.
func (m *Memory) chain(list []string, b *builder) *pipeline.Chain {
	key := strings.Join(list, " ")
	m.mu.Lock()
	defer m.mu.Unlock()
	c := m.chains[key]
	if c == nil {
		if c = b.newChain(list); b.failure() == nil { // else the next build is to fail as well
			m.chains[key] = c
		}
	}
	return c
}

// newChain makes a list of steps ready.
func (b *builder) newChain(list []string) *pipeline.Chain {
	c, err := pipeline.New(list, b.stepSettings())
	if err != nil {
		b.fail(err)
		return new(pipeline.Chain)
	}
	return c
}

// finish returns the chain that bundles and style elements go through. It is made when it is first asked for: what is in use is
// known by then.
func (b *builder) finish() *pipeline.Chain {
	b.finishOnce.Do(func() { b.finishing = b.newChain(b.profile.Finish) })
	return b.finishing
}

// through takes a unit through a chain.
func (b *builder) through(c *pipeline.Chain, u *step.Unit) {
	if err := c.Run(b.ctx, u); err != nil {
		b.fail(err)
	}
}

// fail notes that the build has failed; the first error counts.
func (b *builder) fail(err error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.failed == nil {
		b.failed = err
	}
}

// failure returns the error with which the build has failed, or nil.
func (b *builder) failure() error {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.failed
}

// ended returns the error with which the build has failed, or was cancelled.
func (b *builder) ended() error { return cmp.Or(b.failure(), b.ctx.Err()) }

// media returns media queries as a chain has them.
func (b *builder) media(c *pipeline.Chain, queries []ast.Value) []ast.Value {
	if len(queries) == 0 {
		return queries
	}
	u := &step.Unit{Kind: step.Media, Queries: queries, Composed: true}
	b.through(c, u)
	return u.Queries
}
