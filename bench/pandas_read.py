#!/usr/bin/python3
"""The same figures as "zincroad read", the short way with pandas and NumPy."""
import sys, json
import numpy as np, pandas as pd

d = pd.read_csv(sys.argv[1])
t, soc, kw = d.t_s.to_numpy(), d.soc_pct.to_numpy(), d.power_kw.to_numpy()
def post(p):
    i = np.argmax(soc >= p)
    if soc[i] < p or (i == 0 and soc[0] > p): return None
    return float(t[0] if i == 0 else np.interp(p, soc[i-1:i+1], t[i-1:i+1]))
posts = {p: post(p) for p in range(0, 101, 10)}
area = np.concatenate([[0], np.cumsum((kw[1:] + kw[:-1]) / 2 * np.diff(t))]) / 3600
windows = {}
for a, b in [(0,50),(0,80),(0,100),(10,50),(10,60),(10,80),(10,90),(20,70),(20,80),(30,80),(80,100)]:
    if posts[a] is not None and posts[b] is not None:
        windows[f"{a}-{b}"] = (posts[b] - posts[a], float(np.interp(posts[b], t, area) - np.interp(posts[a], t, area)))
dt = np.diff(t)
gaps = dt[dt > max(30, 10 * np.median(dt))]
mean10 = (np.interp(t + 10, t, area) - area)[t + 10 <= t[-1]].max() * 360
above = kw >= 0.95 * mean10
edges = np.flatnonzero(np.diff(np.concatenate([[0], above.astype(int), [0]])))
held = (t[np.minimum(edges[1::2], len(t)-1)] - t[edges[::2]]).max() if len(edges) else 0
first = np.argmax(kw >= 1)
top = kw[first:][t[first:] <= t[first] + 180].max()
ramp = t[first:][np.argmax(kw[first:] >= 0.9 * top)] - t[first]
json.dump({"posts": posts, "windows": windows, "energy": float(area[-1]), "bridged": float(gaps.sum()), "peak": float(kw.max()),
           "sustained": float(mean10), "held": float(held), "ramp": float(ramp), "usable": float(area[-1] / (soc[-1] - soc[0]) * 100)}, sys.stdout)
