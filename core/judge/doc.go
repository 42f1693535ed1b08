// Package judge says what held a run's power down, and first of all whose limit it was.
//
// # How a judgement comes about
//
// A Log is what was read, with what is noted of car, stall and conditions and what other runs taught. Judge goes
// through it in five steps; the live page and finished runs share them.
//
//  1. Each leg is split into spans of flowing power; less than 1 kW is a pause, whatever else is read (spansOf).
//  2. A span is laid on a grid of cells, seconds wide: means of kW, amps, volts, charge, temperatures (gridOf,
//     columns).
//     Ten typed readings are ten cells.
//  3. The grid is described by as few pieces as it takes, each of level amps, level power or a straight line: the exact
//     least of misfit plus a price for each number and each change point (split). Where pieces meet is settled by the
//     lines and then by the readings (mergeAlike, sharpen), since a cause begins with the first instant of a fall.
//  4. For each piece, and for each two neighbours, each cause is asked how likely the readings are under it
//     (weighView).
//     A limit is level on the quantity and the side where it acts, give or take what meters, auxiliaries and wobble
//     make of that (view); where the level lies is not guessed but integrated out, over how levels lie about ratings
//     (levels). The pack's own course is a Gaussian process over charge (course); cold and heat are shares of it that
//     move with the cells (likely). What a temperature, a request, an offer or the top of the volts says comes to it
//     (weigh), and at each change point, how causes begin and end (enter).
//  5. Forward and backward over the pieces, that gives the probability of every cause in every piece (posterior).
//     Staying in a cause means to keep its level or its course: it counts how likely the readings of both pieces are
//     together. What may hold for a whole run though nobody noted it (from which temperature the pack is warm, whether
//     the noted envelope is right) is guessed in some ways, each chain weighs by how well it explains the run (settle).
//     The chances of a party are the sum of its causes' (decideWhose). Words come last (explain).
//
// Evidence is in nats, natural logarithms of odds: 0.7 doubles them, 2.3 makes them ten times as large, 4.6 a hundred.
// Every number is in numbers.go with its unit and meaning, but for what change points say (change.go). They are held by
// four galleries of runs whose causes are known (core/curve, tools/fitjudge): who changes one sees there what it costs.
//
// C. E. Rasmussen, C. K. I. Williams, Gaussian Processes for Machine Learning (2006), has the likelihoods; L. R.
// Rabiner, Proc. IEEE 77 (1989) 257 the chain.
package judge
