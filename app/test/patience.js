const { configure } = require('@testing-library/react-native');

// what is waited for comes when the machine gets to it: on two busy cores the first computation of a file takes longer than a second
configure({ asyncUtilTimeout: 15_000 });
