package database

// Fact is what matters to a load about a target and the login.
type Fact struct {
	Name     string `json:"name"`
	Value    string `json:"value"`
	OK       bool   `json:"ok"`
	Remedy   string `json:"remedy"`   // what to do if it is not OK
	Required bool   `json:"required"` // no load is possible unless it is OK
}
