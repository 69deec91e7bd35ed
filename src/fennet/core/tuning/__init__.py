"""What to set the devices to: learned from the record they themselves made. A person confirms every change."""
