package database

// Fact is what matters to a load about a target and the login.
type Fact struct {
	Name  string `json:"name"`
	Value string `json:"value"`
	Good  bool   `json:"good"`
	Mend  string `json:"mend"` // what to do about one that is not good
	Vital bool   `json:"vital"`
}
