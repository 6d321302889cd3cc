"""The pack's years: what is due and why, storage, faults found with a meter, trips, the story."""
