/* The yardstick strategy W, specialised by hand: one fused pass over the bars.
 *
 *   a = ema(close, fast); b = ema(close, slow)
 *   enter long when a crosses above b;  enter short when a crosses below b
 *   stop 2 * atr(14);  target 3 R;  size risk 1% of equity;  commission in percent
 *
 * It must make the engine's trades exactly, so it follows the engine page and the same order of operations
 * (compiled without contraction of multiply and add). Trades: entry bar, exit bar, net, in three arrays. */
#include <math.h>
#include <stdint.h>

/* A level on the tick grid, as the engine rounds it. */
static double rounded(double x, double tick, double ones) {
    double k = floor(fabs(x) / tick + 0.5 + 1e-9);
    return x >= 0 ? k / ones : -(k / ones);
}

int64_t w(int64_t n, const double *o, const double *h, const double *l, const double *c, int64_t fast, int64_t slow,
          double capital, double fee_percent, double leverage, double tick, double step, double *equity,
          int64_t *entries, int64_t *exits, double *nets) {
    const double af = 2.0 / (fast + 1.0), as = 2.0 / (slow + 1.0), aw = 1.0 / 14;
    const double ones = round(1.0 / tick);
    double ef = 0, es = 0, atr = 0, pf = 0, ps = 0;
    double sf = 0, ss = 0, sw = 0;
    double cash = capital, before = 0, units = 0, mid = 0, stop = 0, target = 0, fee_in = 0;
    int side = 0, pending = 0, known_before = 0;
    int64_t entry = 0, count = 0;
    double pending_distance = 0;
    for (int64_t i = 0; i < n; i++) {
        const double open = o[i], high = h[i], low = l[i], close = c[i];
        double leave = 0;
        int left = 0;
        /* open: a reversal leaves, a waiting entry fills */
        if (pending) {
            if (side && pending != side) {
                const double fee = fee_percent / 100.0 * (units * open * 1.0);
                const double net = (open - mid) * side * units - (fee_in + fee);
                cash = before + net;
                entries[count] = entry, exits[count] = i, nets[count++] = net;
                side = 0;
            }
            if (!side) {
                const int s = pending;
                const double level = rounded(open - s * pending_distance, tick, ones);
                if ((level - open) * s < 0) {
                    const double risk = fabs(open - level);
                    const double goal = rounded(open + s * (3.0 * risk), tick, ones);
                    double u = cash * 1.0 / 100.0 / (risk * 1.0);
                    const double per_unit = open * 1.0 / leverage;
                    if ((goal - open) * s > 0 && !(u * per_unit > cash && cash <= 0)) {
                        if (u * per_unit > cash) u = cash / per_unit;
                        u = floor(u / step * (1.0 + 1e-12) + 1e-9) * step;
                        if (u >= step) {
                            side = s, entry = i, before = cash, units = u, mid = open, stop = level, target = goal;
                            fee_in = fee_percent / 100.0 * (u * open * 1.0);
                            cash = before - fee_in;
                        }
                    }
                }
            }
            pending = 0;
        }
        /* inside: stop before target; a level the open has passed fills at the open */
        if (side > 0) {
            if (open <= stop) leave = open, left = 1;
            else if (open >= target) leave = open, left = 1;
            else if (low <= stop) leave = stop, left = 1;
            else if (high >= target) leave = target, left = 1;
        } else if (side < 0) {
            if (open >= stop) leave = open, left = 1;
            else if (open <= target) leave = open, left = 1;
            else if (high >= stop) leave = stop, left = 1;
            else if (low <= target) leave = target, left = 1;
        }
        if (!left && side && i == n - 1) leave = close, left = 1;
        if (left) {
            const double fee = fee_percent / 100.0 * (units * leave * 1.0);
            const double net = (leave - mid) * side * units - (fee_in + fee);
            cash = before + net;
            entries[count] = entry, exits[count] = i, nets[count++] = net;
            side = 0;
        }
        equity[i] = side ? cash + (close - mid) * (units * side) : cash;
        /* indicators at the close */
        int known = 0;
        if (i < fast) { sf += close; if (i == fast - 1) ef = sf / fast; }
        else ef += af * (close - ef);
        if (i < slow) { ss += close; if (i == slow - 1) { es = ss / slow; known = 1; } }
        else es += as * (close - es), known = 1;
        const double last = i ? c[i - 1] : fmin(fmax(close, low), high);
        const double reach = fmax(high, last) - fmin(low, last);
        if (i < 14) { sw += reach; if (i == 13) atr = sw / 14; }
        else atr += aw * (reach - atr);
        /* rules */
        if (known && known_before && i < n - 1) {
            if (ef > es && pf <= ps && side <= 0) pending = 1, pending_distance = 2.0 * atr;
            else if (ef < es && pf >= ps && side >= 0) pending = -1, pending_distance = 2.0 * atr;
        }
        pf = ef, ps = es, known_before = known;
    }
    return count;
}
