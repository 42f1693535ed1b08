// Package vehicle is a car as its notes and its runs know it: the one model that the judgement, the forecast, a run
// under way and Prepare ask.
//
// # What a run can teach
//
// A run shows of a car only what the car itself held. Where the stall held the power, the run says that the pack takes
// at least so much, and nothing more; where it is not sure who held it, it says the one as far as that is likely, and
// the other else. So each point of a run counts as a mixture: seen with the chance that the car held it, censored with
// the rest (a Tobit model: Tobin, Econometrica 26 (1958) 24). Nothing censored is averaged in.
//
// # The envelope
//
// The power of the warm pack against charge is a Gaussian process of its logarithm over nodes of charge (Rasmussen and
// Williams, Gaussian Processes for Machine Learning (2006), chapter 2), about the usual curve of the car's kind. Each
// run may lie off by a share of its own, and every other software version by a slow curve of its own: partial pooling
// (Gelman and Hill, Data Analysis Using Regression and Multilevel/Hierarchical Models (2006), chapter 12), so that few
// runs of a version borrow from the others as far as the versions are alike. Where the car falls at one charge, the
// process has a break there: a smooth curve teaches no step, and a step bends no curve.
//
// # Cold and heat
//
// What is cold takes a share of that power, by its coldest cell. From which temperature it takes all of it, and how
// many kelvin below it takes half, are tried on a grid, each with its own envelope, and weighed by what the readings
// say of them (Laplace's approximation) and by what is usual.
package vehicle
