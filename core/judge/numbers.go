package judge

// The numbers that a judgement is made by: priors, noise and physics, each with its unit and meaning. Where a group
// names no source they were set by hand from what practitioners say, with the half of a gallery of labelled runs in
// view (tools/fitjudge); "fitted" ones were chosen by it. Shares of power are differences of natural logarithms.
//
// They are variables so that they can be fitted; nothing else sets them.
var (
	// Meters and wobble. Shares are of the power, as natural logarithms.
	wobbleShare = 0.015  // how roughly anything holds a level or a course, standard deviation; fitted
	wobbleMin   = 1.0    // min, over which that wobble goes together; fitted
	leastSD     = 0.0015 // no meter shows a block better than that
	gainSD      = 0.012  // a meter's gain (1 to 2 % on what cars and stalls show; common practice, no source)
	guessSD     = 0.012  // how amps drift that are made of a voltage which nobody read
	guessMin    = 20.0   // min, over which that drift goes together

	// Auxiliaries: pumps, chiller, heater, cabin, between plug and pack (common practice, no source).
	usualAuxKW  = 1.5  // kW, what they draw as a rule
	auxSDKW     = 4.0  // kW, how far from that: 0 to 10 kW occur
	auxStands   = 0.6  // how often they stand still over a piece
	auxStandsKW = 0.03 // kW in a minute's root, how they wander then
	auxMovesKW  = 0.25 // kW in a minute's root, else

	// Levels about a rating, as parts of a mixture (labels promise more than is given: 130 to 135 kW of 150; common
	// practice, no source).
	atLabel       = 0.6   // how often a stall's level is at its rating
	labelSD       = 0.006 // give or take, beside the meter's gain
	underLabel    = 0.34  // how often it is somewhat under it
	underBy       = 0.055 // by how much
	underSD       = 0.045 // give or take
	farUnderLabel = 0.02  // how often it is far under it, and the stall is not failing
	farUnderBy    = 0.4   // by how much
	farUnderSD    = 0.3   // give or take
	wrongLabel    = 0.02  // how often a rating was noted wrongly
	ownAt         = 0.55  // how often a car's level is at its own noted limit
	ownNear       = 0.3   // how often it is near it: some exceed it for a while
	ownNearSD     = 0.04  // give or take
	broadKW       = 110.0 // kW, the middle of what limits are where none is noted
	broadKWSD     = 1.0   // give or take
	broadA        = 250.0 // A, the middle of what limits are where none is noted
	broadASD      = 0.9   // give or take
	converterKW   = 110.0 // kW, the middle of cars' converters (100 to 125 is typical; small ones give 50)
	converterSD   = 0.45  // give or take
	carUnder      = 0.8   // of its envelope: a limit of the car that nobody noted does not lie lower
	failedBy      = 0.55  // how far under its rating a failing stall gives
	failedSD      = 0.5   // give or take
	faultWalk     = 0.02  // in a minute's root, how a failing stall's power wanders

	// The warm pack's power against charge, a Gaussian process (common practice, no source).
	localPct      = 15.0  // % of charge, over which it goes together
	finePct       = 5.0   // % of charge, the same for what is finer
	notedRight    = 0.85  // how often an envelope was noted rightly; else its shape is right, and its height is not
	notedSD       = 0.03  // how far a noted one is off as a whole
	notedLocal    = 0.03  // and over localPct
	notedFine     = 0.012 // and over finePct
	notedEveryPct = 5.0   // % of charge, how far apart it is noted
	betweenNoted  = 0.35  // of its fall from one noted point to the next, that it may be off between them
	shownOffPct   = 0.5   // % of charge, that a display may be off
	kindSD        = 0.25  // the same for a curve by kind of car: as a whole
	kindLocal     = 0.2   // over localPct
	kindFine      = 0.05  // over finePct
	unknownSD     = 0.7   // where nothing is known of the car: as a whole
	unknownLean   = 0.012 // a % of charge, how packs' power falls
	pctAMinute    = 1.5   // % of charge a minute, where the charge was not read
	stairs        = 0.15  // how often a car's computer goes by stairs of amps instead of smoothly
	stairPct      = 12.0  // % of charge, over which one stair lasts at most
	stairK        = 3.0   // K, the same while a cold pack warms

	// What temperature makes of that power. A pack at 13 °C took half its peak, and reached it at 21 to 24 °C (common
	// practice, no source).
	coldShare       = 0.07 // a K under where the pack is warm
	coldSlope       = 0.7  // of that, give or take
	coldScaleK      = 1.0  // K, over which cold begins to bind
	centreUnderC    = 0.5  // K under the noted temperature of a warm pack, where cold begins to bind
	notedCentreSD   = 1.0  // K, give or take
	unnotedCentreC  = 21.0 // °C, where a pack is warm of which nothing is noted
	unnotedCentreSD = 5.0  // K, give or take
	leastBinding    = 0.01 // less than that is no cold
	coldRough       = 0.15 // how roughly a pack goes with its temperature, in some cars
	coldPct         = 10.0 // % of charge, over which that goes together
	looseShare      = 0.2  // and how hardly, in others
	looseMin        = 5.0  // min, over which that goes together
	startOverAirC   = 4.0  // K, how much warmer a pack is than the air
	startSD         = 6.0  // K, give or take
	startNotedSD    = 2.0  // K, the same where its temperature was noted
	preconditionedK = 12.0 // K, what preconditioning adds
	startUnknownC   = 22.0 // °C, a pack at plug-in of which nothing is noted
	startUnknownSD  = 9.0  // K, give or take
	heatingKPerMin  = 0.4  // K a minute, how it warms while it charges at its capacity in an hour; by the square
	unnotedKWh      = 60.0 // kWh, a pack of which nothing is noted
	unnotedHotC     = 44.0 // °C of the warmest cell, from which a pack is led back
	unnotedHotSD    = 2.5  // K, give or take
	notedHotSD      = 0.8  // K, the same where it was noted
	hotScaleK       = 1.2  // K, over which heat begins to bind
	hotterK         = 3.0  // K, how much warmer the warmest cell is than the coldest
	hotUnread       = 0.05 // how likely heat binds where no cell was read
	mostUnderHotK   = 10.0 // K, further under it no heat binds
	hotBy           = 0.15 // how far a hot pack is led back at least
	hotShare        = 0.06 // and a K more
	hotSD           = 0.25 // give or take
	explainsFirst   = 0.9  // how far a temperature that binds explains a fall before a timer or a step

	// What else there is.
	leftBy         = 0.4  // how far a timer or a step takes the power down
	leftSD         = 0.35 // give or take
	rampRough      = 0.05 // how far a ramp is from a line
	roughWalk      = 0.12 // in a minute's root, how power wanders that no limit explains
	topWalk        = 0.05 // in a minute's root, how power wanders at the top of the volts
	topLeans       = 0.12 // a minute, how it falls there
	topSDV         = 0.15 // V, how closely a top stands
	voltsMoveV     = 6.0  // V, how far volts move over a piece under any other limit
	topSpread      = 3.0  // how dense volts lie about a rating by chance
	topUnread      = -3.0 // nats for a top of volts that nobody read
	unnotedCabinet = 1.7  // nats against a share of a cabinet that nobody noted to be one

	// Requests and offers (206 kW requested, 201 delivered; common practice, no source).
	requestSD    = 0.02  // of what flows, how closely a car requests what flows where it holds itself
	besideKW     = 2.5   // kW, what heater and cabin add to a request, mean
	beyondShare  = 0.6   // of what flows, how far a request lies above what a stall gives
	followsOffer = 0.3   // how many cars request no more than they are offered
	oddRequest   = 0.02  // how many request what they know they do not want
	offeredSD    = 0.015 // how closely what is offered flows where the stall holds
	offerTold    = 0.85  // how often an offer is what the stall can give now

	// The chain.
	noLevel    = 0.0007 // how likely a level's readings follow no model
	noCourse   = 0.008  // how likely a course's do
	ratedKept  = 0.99   // how likely a limit that goes on holding keeps its level
	givenKept  = 0.8    // the same of a failing stall, a cabinet, a warm cable
	courseKept = 0.92   // the same of the pack's own course
	strongFrom = 0.96   // chance from which a judgement is strong: right in 99 of 100 minutes
	likelyFrom = 0.72   // chance from which it is likely: right in 85
)

// mostBlocks is how many blocks a piece is weighed by at most.
const mostBlocks = 6

// Numbers are they by name, for tools that fit them.
var Numbers = map[string]*float64{
	"unnotedKWh":      &unnotedKWh,
	"atLabel":         &atLabel,
	"auxMovesKW":      &auxMovesKW,
	"auxSDKW":         &auxSDKW,
	"auxStands":       &auxStands,
	"auxStandsKW":     &auxStandsKW,
	"besideKW":        &besideKW,
	"betweenNoted":    &betweenNoted,
	"beyondShare":     &beyondShare,
	"broadA":          &broadA,
	"broadASD":        &broadASD,
	"broadKW":         &broadKW,
	"broadKWSD":       &broadKWSD,
	"carUnder":        &carUnder,
	"centreUnderC":    &centreUnderC,
	"coldPct":         &coldPct,
	"coldRough":       &coldRough,
	"coldScaleK":      &coldScaleK,
	"coldShare":       &coldShare,
	"coldSlope":       &coldSlope,
	"converterKW":     &converterKW,
	"converterSD":     &converterSD,
	"courseKept":      &courseKept,
	"explainsFirst":   &explainsFirst,
	"failedBy":        &failedBy,
	"failedSD":        &failedSD,
	"farUnderBy":      &farUnderBy,
	"farUnderLabel":   &farUnderLabel,
	"farUnderSD":      &farUnderSD,
	"faultWalk":       &faultWalk,
	"finePct":         &finePct,
	"followsOffer":    &followsOffer,
	"gainSD":          &gainSD,
	"givenKept":       &givenKept,
	"guessMin":        &guessMin,
	"guessSD":         &guessSD,
	"heatingKPerMin":  &heatingKPerMin,
	"hotBy":           &hotBy,
	"hotSD":           &hotSD,
	"hotScaleK":       &hotScaleK,
	"hotShare":        &hotShare,
	"hotUnread":       &hotUnread,
	"hotterK":         &hotterK,
	"kindFine":        &kindFine,
	"kindLocal":       &kindLocal,
	"kindSD":          &kindSD,
	"labelSD":         &labelSD,
	"leastBinding":    &leastBinding,
	"leastSD":         &leastSD,
	"leftBy":          &leftBy,
	"leftSD":          &leftSD,
	"likelyFrom":      &likelyFrom,
	"localPct":        &localPct,
	"looseMin":        &looseMin,
	"looseShare":      &looseShare,
	"mostUnderHotK":   &mostUnderHotK,
	"noCourse":        &noCourse,
	"noLevel":         &noLevel,
	"notedCentreSD":   &notedCentreSD,
	"notedEveryPct":   &notedEveryPct,
	"notedFine":       &notedFine,
	"notedHotSD":      &notedHotSD,
	"notedLocal":      &notedLocal,
	"notedRight":      &notedRight,
	"notedSD":         &notedSD,
	"oddRequest":      &oddRequest,
	"offerTold":       &offerTold,
	"offeredSD":       &offeredSD,
	"ownAt":           &ownAt,
	"ownNear":         &ownNear,
	"ownNearSD":       &ownNearSD,
	"pctAMinute":      &pctAMinute,
	"preconditionedK": &preconditionedK,
	"rampRough":       &rampRough,
	"ratedKept":       &ratedKept,
	"requestSD":       &requestSD,
	"roughWalk":       &roughWalk,
	"shownOffPct":     &shownOffPct,
	"stairK":          &stairK,
	"stairPct":        &stairPct,
	"stairs":          &stairs,
	"startNotedSD":    &startNotedSD,
	"startOverAirC":   &startOverAirC,
	"startSD":         &startSD,
	"startUnknownC":   &startUnknownC,
	"startUnknownSD":  &startUnknownSD,
	"strongFrom":      &strongFrom,
	"topLeans":        &topLeans,
	"topSDV":          &topSDV,
	"topSpread":       &topSpread,
	"topUnread":       &topUnread,
	"topWalk":         &topWalk,
	"underBy":         &underBy,
	"underLabel":      &underLabel,
	"underSD":         &underSD,
	"unknownLean":     &unknownLean,
	"unknownSD":       &unknownSD,
	"unnotedCabinet":  &unnotedCabinet,
	"unnotedCentreC":  &unnotedCentreC,
	"unnotedCentreSD": &unnotedCentreSD,
	"unnotedHotC":     &unnotedHotC,
	"unnotedHotSD":    &unnotedHotSD,
	"usualAuxKW":      &usualAuxKW,
	"voltsMoveV":      &voltsMoveV,
	"wobbleMin":       &wobbleMin,
	"wobbleShare":     &wobbleShare,
	"wrongLabel":      &wrongLabel,
}
