package say

// Confidence says how sure a sentence is.
type Confidence string

// The confidences. Of what is called strong 99 in 100 minutes must be right, of what is likely 85.
const (
	Strong Confidence = "strong"
	Likely Confidence = "likely"
	Unsure Confidence = "unsure"
)

// Text is the confidence as a word.
func (c Confidence) Text() Text { return T("confidence." + string(c)) }
