"""What is wrong with a batch, argued from the record.

`engine` weighs causes for any complaint; each complaint brings its own models (`slow_germination`) and its words come from
`crops/complaints.toml`. Only `findings` is asked from outside.
"""
