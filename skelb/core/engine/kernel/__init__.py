"""The compiled simulation: one pass over the bars, in the order the engine page gives.

`records` says what it works on. The way of a bar: `simulate` goes from moment to moment `along` the bars, `quiet` past
those on which nothing can happen; `moments` are the open, the inside (`inside`: levels and resting orders) and the
close of a bar; `judge` looks at the rules (`asking` for those on the position); `lots` opens and closes with the
`levels` it lays, the `orders` that rest and the `money` it costs.

Several markets on one account are laid end to end: bar numbers run over all of them, and `Series.order` gives the bars
of each moment. One market needs no order.
"""
