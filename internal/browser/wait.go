package browser

import (
	"context"
	"errors"
	"fmt"
	"time"

	dp "github.com/chromedp/chromedp"
)

// Waiting is done in the page, which knows when something has changed. To ask it over and over from outside costs
// more than all else that a test does there.

// inPage waits there until a condition gives something that is not false, which is the answer; null is "not for now".
// It looks again whenever the page changes, and from time to time, as a style or a value changes without a word.
const inPage = `(() => { const is = %s
  const look = () => { try { return is() } catch { return false } }
  const now = look()
  if (now) return now
  return new Promise(done => {
    const end = v => { eye.disconnect(); clearInterval(beat); clearTimeout(stop); done(v) }
    const again = () => { const v = look(); if (v) end(v) }
    const eye = new MutationObserver(again), beat = setInterval(again, 60), stop = setTimeout(() => end(null), 5000)
    eye.observe(document, {subtree: true, childList: true, attributes: true, characterData: true})
  }) })()`

// await is the answer of a condition in the page, a function without arguments, as soon as it has one. A page that
// is left meanwhile is asked again where it has led to.
func await[T any](ctx context.Context, is string) (v T, err error) {
	for {
		answer, err := dp.Run(ctx, dp.Evaluate[*T](fmt.Sprintf(inPage, is), dp.EvalAwaitPromise))
		var wrong *dp.ExceptionError
		if errors.As(err, &wrong) || ctx.Err() != nil {
			return v, errors.Join(err, ctx.Err())
		}
		if err == nil && answer != nil {
			return *answer, nil
		}
		if err != nil { // the page is just being left
			select {
			case <-ctx.Done():
			case <-time.After(20 * time.Millisecond):
			}
		}
	}
}

func wait(is string) dp.Action[dp.Void] {
	return dp.Func(func(ctx context.Context, _ *dp.Target) error {
		_, err := await[bool](ctx, is)
		return err
	})
}

// True waits until an expression in the page is true. One that cannot be worked out yet is not.
func True(js string) dp.Action[dp.Void] { return wait("() => !!(" + js + ")") }

// shown is whether there are such elements and all of them can be seen.
func shown(sel dp.CSS) string {
	return fmt.Sprintf(`(() => { const all = [...document.querySelectorAll(%q)]
	  return all.length > 0 && all.every(e => e.offsetWidth || e.offsetHeight || e.getClientRects().length) })()`, sel)
}

// See waits until an element can be seen.
func See(sel dp.CSS) dp.Action[dp.Void] { return True(shown(sel)) }

// Unseen waits until there is no such element or it cannot be seen.
func Unseen(sel dp.CSS) dp.Action[dp.Void] { return True("!" + shown(sel)) }

// Gone waits until there is no such element.
func Gone(sel dp.CSS) dp.Action[dp.Void] {
	return True(fmt.Sprintf(`document.readyState !== 'loading' && !document.querySelector(%q)`, sel))
}

// place is where an element is, once fonts are there and it has the same place in two frames one after the other. It
// marks when the element is clicked.
const place = `(async () => { await document.fonts.ready
  const sel = %q, of = () => document.querySelector(sel)
  of()?.scrollIntoViewIfNeeded()
  let at
  for (let was = '', n = 0; n < 300; n++) {
    await new Promise(requestAnimationFrame)
    at = of()?.getClientRects()[0]
    const now = JSON.stringify(at ?? '')
    if (now === was) break
    was = now }
  if (!at || of().disabled) return null
  globalThis.roundhousePressed = false
  globalThis.roundhouseHears ??= document.addEventListener('click', e => {
    if (e.target.closest?.(globalThis.roundhouseSel)) globalThis.roundhousePressed = true }, true) ?? true
  globalThis.roundhouseSel = sel
  return {x: at.x + at.width / 2, y: at.y + at.height / 2} })()`

// Click waits for an element, and until it stays where it is, and clicks it. A page that moves just then takes the
// press elsewhere, so it is pressed again until the element has had a click; it never has two.
func Click(sel dp.CSS) dp.Action[dp.Void] {
	return dp.Func(func(ctx context.Context, _ *dp.Target) error {
		for {
			if err := dp.Do(ctx, See(sel)); err != nil {
				return err
			}
			at, err := dp.Run(ctx, dp.Evaluate[*struct{ X, Y float64 }](fmt.Sprintf(place, sel), dp.EvalAwaitPromise))
			if err == nil && at != nil {
				err = dp.Do(ctx, dp.MouseClickXY(at.X, at.Y))
			}
			var wrong *dp.ExceptionError
			if errors.As(err, &wrong) || ctx.Err() != nil {
				return errors.Join(err, ctx.Err())
			}
			if err != nil || at == nil { // the page is just being left, or the element cannot be pressed yet
				time.Sleep(20 * time.Millisecond)
				continue
			}
			// A page that the click has left behind does not know any more.
			heard, err := dp.Run(ctx, dp.Evaluate[bool](`globalThis.roundhousePressed !== false`))
			if err != nil || heard {
				return err
			}
		}
	})
}
